"""The piece, its records, and the edits that change it."""
