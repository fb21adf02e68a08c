"""Use cases: open a piece, press a key, keep a take, read it, undo. No HTTP and no SQL text here.

a message (wire) -> session -> document (the open piece) -> facts (wire)

Read ``library`` and ``document`` first, then ``session``. ``takes`` makes and reads takes; ``files`` brings files in
and out.
"""
