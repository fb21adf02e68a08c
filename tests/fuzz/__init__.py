"""Whatever comes, it is answered in words."""
