"""Edits of selected notes (JOB 7): each is a record of its arguments that makes a Change."""
