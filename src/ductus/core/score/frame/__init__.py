"""Edits of the frame: meter, key, tempo, pick-up, bars, parts, transposition."""
