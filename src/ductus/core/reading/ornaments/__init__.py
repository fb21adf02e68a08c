"""Find ornaments and write them as signs.

take -> detection (trills, turns, grace notes, rolled chords, tremolos) -> notation (which become signs, which are
written out)
"""
