"""Takes: what was played, never altered."""
