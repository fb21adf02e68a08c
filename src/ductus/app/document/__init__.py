"""An open piece: its state, history and sheet, and long work on it.

Read ``desk`` first. ``sheet`` keeps the systems of one view, ``sheets`` all views; ``jobs`` carries out long work;
``undo_cache``, ``deferred_rows`` and ``journal_writer`` keep edits and strokes quick.
"""
