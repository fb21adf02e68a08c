"""Ductus: step-time and real-time entry of keyboard playing into notated scores."""

__version__ = "0.1.0"
