"""Place played onsets on the subdivisions of known beats.

onsets + pulse map -> beat_grid -> lattice (of placements) -> placement (the likeliest path) -> displaced_onsets

Read ``placement`` first. ``subdivisions`` holds the divisions of a beat and how common each is; ``asynchrony``
estimates the timing offset of each hand and of the melody.
"""
