"""Recordings, takes and their readings on the page.

``recorder`` and ``recording`` make takes; ``reading_jobs`` reads them onto the page; ``reading_views`` and
``guided_review`` show how; ``merging`` reads several as one; ``proof`` compares playing with the page.
"""
