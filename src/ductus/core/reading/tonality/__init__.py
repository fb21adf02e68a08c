"""Estimate the key and spell pitches.

    notes with places and lengths -> key_estimation -> spelling -> pitch names

Both work on whole takes; ``core.pitch.speller`` decides single notes.
"""
