"""Edits of selected notes: each is a record whose ``change`` turns a piece and notes into a change.

Read ``base`` first, then ``registry`` (all of them). ``select`` chooses notes, ``clipboard`` copies and pastes,
``write`` clears spans for others.
"""
