"""Write marks, and edit those that stand on the page.

``mark_language`` reads words into a wish; ``place_marks`` puts it at notes or at the pen; ``commands`` moves,
rewords and removes marks; ``lyrics`` sets syllables under notes.
"""
