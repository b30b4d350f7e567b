"""Borrows a second address on a wire's desk: python -m tests.laboratory.borrower NEAR LASTS SECONDS

It says what it has, keeps it until a line comes on standard input, and gives it back.
"""

from __future__ import annotations

import asyncio
import json
import sys

from netloom_core.clock import SystemClock
from netloom_core.errors import NetloomError
from netloom_core.leases.borrowed import Borrowing
from netloom_core.model.line import Line


async def main(near: str, lasts: int) -> None:
    line = Line("net", "Net", "ip", network="10.77.0.0/24", source="10.77.0.1", interface="eth0")
    borrowing = Borrowing(SystemClock(), lambda text: print(text, file=sys.stderr), lasts=lasts, renew=lasts / 3)
    try:
        made = await borrowing.begin(line, near, 5, "tester")
    except NetloomError as error:
        print(json.dumps({"refused": error.message}), flush=True)
        return
    print(json.dumps(made), flush=True)
    await asyncio.get_running_loop().run_in_executor(None, sys.stdin.readline)
    await borrowing.stop()


asyncio.run(main(sys.argv[1], int(sys.argv[2])))
