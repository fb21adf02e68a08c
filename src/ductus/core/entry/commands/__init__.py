"""Commands of entry: the pen, the step value, choices, and those that beat time."""
