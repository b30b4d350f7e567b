"""Netloom's core: finding, identity, addressing, the change engine, backup and proof.

No Django, no web, no interface code. Runs and is tested alone.
"""
