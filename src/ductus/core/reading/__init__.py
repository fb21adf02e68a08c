"""From a take to written notes: chords -> places -> hands -> values -> voices -> spelling and key."""
