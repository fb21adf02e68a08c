"""Read a performance into written notes.

take -> beat_tracking (played freely) -> quantization -> hands -> durations -> tonality -> review -> page

Read ``pipeline`` first (the whole way), then ``writing`` (a take with known beats becomes notes), then the room of
the stage that you change. ``model`` holds settings and results; ``live`` reads while somebody plays, ``incremental``
only what a moved beat touches, ``merging`` several takes as one, ``percussion`` a kit. ``tables`` holds fitted
numbers.
"""
