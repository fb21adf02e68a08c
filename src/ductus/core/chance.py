"""Chance that can be repeated: the same seed and place always give the same number."""

from __future__ import annotations


def scattered(seed: int, tick: int) -> float:
    """A number in -1..1 that looks random and is always the same for a seed and a place.

    The mixing function of SplitMix64 (Steele, Lea & Flood 2014, "Fast splittable pseudorandom number generators";
    constants from memory).
    """
    mask = (1 << 64) - 1
    z = (seed * 0x9E3779B97F4A7C15 + tick) & mask
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & mask
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & mask
    return ((z ^ (z >> 31)) & mask) / mask * 2 - 1
