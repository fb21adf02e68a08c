"""Edits of selected notes: each is a record of its arguments that makes a Change."""
