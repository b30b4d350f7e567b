"""Simulated devices on real sockets and pseudo-terminals, with their faults, and the demo installation."""
