"""How the next recording goes: ``settings`` holds its choices, each a record that is applied to them."""
