"""Write what keys say: steps, held chords, timed rhythm, grace notes, with their spelling and hands.

Read ``step`` first: a chord of keys and a step value become notes and a change.
"""
