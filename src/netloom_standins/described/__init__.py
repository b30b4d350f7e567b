"""Simulated devices from descriptions of their own (`demo/models/*.yaml`), which share nothing with profiles.

A description has a memory, what becomes of its values at a restart and a power cut, and faces: how
the device is spoken to. A wrong profile shows by it.
"""
