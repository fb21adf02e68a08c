"""The piece as data: records in persistent tables, and changes that can be undone.

Read ``records`` first (notes, marks, parts ...), then ``piece`` (all of them, by bar), then ``changes`` (a draft of
a piece becomes a change). ``persistent_map`` keeps tables that share what did not change; ``mark_kinds`` and
``note_signs`` describe marks and signs; ``voice_rule`` keeps one chord at a time in a voice; ``playing_order``
unfolds repeats; ``validation`` and ``field_types`` check what comes from files.
"""
