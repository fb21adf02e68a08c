"""Use cases: open a piece, press a key, keep a take, read it, undo. No HTTP and no SQL text here."""
