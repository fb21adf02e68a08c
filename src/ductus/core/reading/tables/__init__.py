"""Fitted tables (JSON), each with its provenance; the scripts that made them are in tools/."""
