"""What a recording writes, and how: the choices of its line."""
