"""Spelled pitches, keys and transposition."""
