"""Levels of lighting universes: who sends them, what comes of several (`heard.py`, pure), listening, and a test."""
