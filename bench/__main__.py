"""Runs the benchmarks that are named, or all that take minutes; prints one line each."""

import sys

from bench import (
    api,
    backup,
    busy,
    codes,
    configure,
    export,
    firmware,
    fuse,
    fuzz,
    fuzz_drivers,
    grid,
    kills,
    laboratory,
    load,
    machine,
    memory,
    moving,
    osdp,
    places,
    points,
    routing,
    run,
    settings,
    survey,
    sweep,
    ui,
    verify,
    ways,
)

ALL = {
    "sweep": sweep.main,
    "survey": survey.main,
    "laboratory": laboratory.main,
    "firmware": firmware.main,
    "fuse": fuse.main,
    "osdp": osdp.main,
    "ways": ways.main,
    "backup": backup.main,
    "codes": codes.main,
    "configure": configure.main,
    "verify": verify.main,
    "export": export.main,
    "memory": memory.main,
    "ui": ui.main,
    "grid": grid.main,
    "fuzz": fuzz.main,
    "fuzz-drivers": fuzz_drivers.main,
    "load": load.main,
    "places": places.main,
    "moving": moving.main,
    "routing": routing.main,
    "points": points.main,
    "settings": settings.main,
    "run": run.main,
    "machine": machine.main,
    "api": api.main,
    "kills": kills.main,
}

HOURS = {"busy": busy.main}

for name in sys.argv[1:] or ALL:
    (ALL | HOURS)[name]()
