"""What an instrument played: takes and the delay test.

Events -> ``takes`` (notes and controllers in microseconds). ``delay`` measures how late notes arrive.
"""
