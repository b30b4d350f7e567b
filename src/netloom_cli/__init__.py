"""The technician's commands: a client of the running server's API."""
