"""Pieces and takes as timed events; the click and its ranks."""
