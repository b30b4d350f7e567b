"""EDIDs that somebody spoiled: bytes changed, cut, put in, blocks doubled; with right checksums as often as not."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import Any

from netloom_standins import edids

SEEDS: tuple[dict[str, Any], ...] = (
    {"hdmi": 165, "sound": ["pcm", "ac3"]},
    {
        "best": "3840x2160p60", "hdmi": 340, "forum": 600, "codes": [97, 96, 16], "sound": ["pcm8", "dts"],
        "hdr": True, "deep": [10, 12],
    },
    {"hdmi": 0, "best": "1920x1200p60", "standard": ["d1c0", "8180", "6159"]},
)  # fmt: skip


def mutated(count: int, seed: int) -> Iterator[bytes]:
    chance = random.Random(seed)
    whole = [edids.made(one) for one in SEEDS]
    section = bytes((0x20, 60, 3, 0)) + chance.randbytes(60)
    whole.append(whole[0] + edids.sealed(b"\x70" + section + bytes((-sum(section) % 256,))))
    for _ in range(count):
        data = bytearray(chance.choice(whole))
        kind = chance.random()
        if kind < 0.05:
            data = bytearray(data[:8] + chance.randbytes(chance.randrange(0, 600)))
        for _ in range(chance.choice((0, 1, 1, 2, 8, 40))):
            if data:
                data[chance.randrange(len(data))] = chance.randrange(256)
        if chance.random() < 0.2:
            data = data[: chance.randrange(len(data) + 1)]
        if chance.random() < 0.2:
            at = chance.randrange(len(data) + 1)
            data[at:at] = chance.randbytes(chance.randrange(1, 130))
        if chance.random() < 0.5:
            data = bytearray(
                b"".join(edids.sealed(bytes(data[at : at + 128])) for at in range(0, len(data) - 127, 128))
            )
        yield bytes(data)
