"""Fusing 10,000 sightings of a generated installation with its records; wanted: under a second."""

from __future__ import annotations

import time

from tests.core.site_of_thousands import site

from bench.field import library
from netloom_core.identity.keys import keys_of
from netloom_core.sweep.identity import fuse

COUNT = 10_000
ROUNDS = 3


def main() -> None:
    profiles = library()
    _, records, marked = site(4000, 4)
    sightings = [sighting for sighting, _ in marked][:COUNT]
    times, plain = [], []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        findings = fuse(sightings, records, profiles)
        times.append(time.perf_counter() - begun)
        begun = time.perf_counter()
        for sighting in sightings:
            keys_of(sighting.facts, profiles.maker)
        plain.append(time.perf_counter() - begun)
    ratio = min(times) / min(plain)
    print(
        f"fuse     {ratio:5.2f} (no limit set)   {min(times):.3f} s (at most 1 s) for {COUNT} sightings and "
        f"{len(records)} records into {len(findings)} devices, against only reading their keys"
    )
