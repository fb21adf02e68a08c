"""Step entry as a state machine: (state, key, pedal, wait or command) -> (state, Change, what to say)."""
