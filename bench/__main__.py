"""Runs the benchmarks that are named, or all; prints one line each."""

import sys

from bench import backup, memory, osdp, sweep, verify

ALL = {"sweep": sweep.main, "osdp": osdp.main, "backup": backup.main, "verify": verify.main, "memory": memory.main}

for name in sys.argv[1:] or ALL:
    ALL[name]()
