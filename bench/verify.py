"""Verifying 2,000 documents of 400 values, against just parsing them."""

from __future__ import annotations

import time
from typing import Any

import orjson

from bench.field import told
from netloom_core.backup.verify import Evidence, verify
from netloom_core.documents.tree import canonical
from netloom_core.profiles.profile import Profile

DOCUMENTS, VALUES, ROUNDS = 2000, 400, 3
CHANGED_EVERY = 10


def profile() -> Profile:
    return Profile.model_validate(
        {
            "format": 2,
            "id": "bench-model",
            "maker": "Bench",
            "model": "B400",
            "kind": "bench",
            "match": [{"facts": {"maker": "Bench"}, "weight": 1}],
            "channels": {"bus": {"protocol": "osdp", "vendor": "000000", "model_number": 1}},
            "axes": {"n": VALUES},
            "items": [{"path": "/v/{n}/x", "label": "V {n}", "type": "integer"}],
        }
    )


def main() -> None:
    described = profile()
    base: dict[str, Any] = {"v": {str(n): {"x": n * 37} for n in range(1, VALUES + 1)}}
    changed = orjson.loads(canonical(base))
    changed["v"]["7"]["x"] = 5
    good, bad = canonical(base), canonical(changed)
    stored = [(good, bad if n % CHANGED_EVERY == 0 else good, good) for n in range(DOCUMENTS)]

    def parse() -> float:
        begun = time.perf_counter()
        for baseline, running, startup in stored:
            orjson.loads(baseline), orjson.loads(running), orjson.loads(startup)
        return time.perf_counter() - begun

    def prove() -> float:
        begun = time.perf_counter()
        drifted = 0
        for parts in stored:
            baseline, running, startup = map(orjson.loads, parts)
            drifted += verify(Evidence("Box", described, baseline, running, startup)).result == "drift"
        assert drifted == DOCUMENTS // CHANGED_EVERY
        return time.perf_counter() - begun

    mine, plain = min(prove() for _ in range(ROUNDS)), min(parse() for _ in range(ROUNDS))
    told("verify", mine, plain, 3, f"{DOCUMENTS} documents of {VALUES} values, every tenth drifted")
