"""Assign notes to hands.

notes in order of onset -> features (reach, register, motion) -> split_path (the likeliest boundary between the
hands) -> a hand for each

Read ``features`` first: its ``hands_by_reach`` is the entrance.
"""
