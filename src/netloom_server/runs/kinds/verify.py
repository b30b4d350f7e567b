"""Prove devices against their approved records."""

from netloom_server.runs.kinds.read import Read


class Verify(Read):
    name = "verify"
