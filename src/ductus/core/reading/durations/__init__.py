"""Choose note values and voices.

onsets + releases -> offset_options (possible lengths) -> duration_choice -> articulation (staccato) -> voice_assignment

Read ``duration_choice`` first. ``parallel_passages`` finds passages with the same rhythm, whose notes are read
alike.
"""
