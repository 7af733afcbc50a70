"""The stand-in: a machine that is not there, with acceleration, look-ahead, limits, homing, probe, alarms and faults on demand."""
