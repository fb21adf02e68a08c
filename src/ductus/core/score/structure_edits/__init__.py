"""Edits of bars, meters, keys, tempi, clefs and parts: each is a record whose ``change`` turns a piece into a change.

Read ``base`` first, then ``registry`` (all of them). ``settling`` asks before an edit takes away what is written.
"""
