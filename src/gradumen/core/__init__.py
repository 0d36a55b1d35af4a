"""Pure computation and values: no I/O, no clock, no framework."""
