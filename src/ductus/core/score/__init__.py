"""The piece and the edits that change it.

model (records -> piece -> changes) <- note_edits, structure_edits, mark_edits <- mark_language; catalogues hold
fixed knowledge

Read ``model`` first. Every edit is a record with ``change``: it takes a piece (and notes) and returns a change,
which can be undone.
"""
