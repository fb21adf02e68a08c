"""Put a reading onto the page of a piece.

reading + piece -> insertion (notes, meters, key, tempo as one change) -> derived_marks (pedal and dynamics, on request)
"""
