"""Ductus: step-time and real-time entry of keyboard playing into notated scores."""

import os

__version__ = "0.1.0"

# Before numpy comes: it is asked for the algebra of small things only, for which threads of its own cost more than they bring (a minute of playing
# was read in 1.08 s with them and 0.76 s without, on two cores).
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
