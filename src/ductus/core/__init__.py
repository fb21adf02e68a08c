"""The rules of the job: pure Python and numpy, no input or output, no clock, no unseeded chance.

Sub-packages import each other only in this order: ``time``, ``pitch`` -> ``score`` -> ``notation``,
``entry``, ``performance``, ``reading``, ``playback``.
"""
