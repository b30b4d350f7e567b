"""Passwords in tests: hashed as the server hashes them, but soon: a real one takes a third of a second."""

from django.contrib.auth.hashers import Argon2PasswordHasher


class Quick(Argon2PasswordHasher):
    time_cost, memory_cost, parallelism = 1, 8, 1
