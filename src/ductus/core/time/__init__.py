"""Written time (ticks, note values, meters, bars) and performed time (pulse maps)."""
