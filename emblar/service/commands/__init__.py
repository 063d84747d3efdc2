"""Commands that start, stop and examine Emblar on this machine."""
