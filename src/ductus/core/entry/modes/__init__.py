"""The modes of entry: what a key does while the pen is down.

Read ``registry`` first: it maps a mode to its module. Each has ``key_down``, ``key_up``, ``pedal`` and ``wait``:
state + event -> outcome.
"""
