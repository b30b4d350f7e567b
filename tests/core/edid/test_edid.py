"""What an EDID says, by the examples and tables of the standards."""

from __future__ import annotations

import pytest

from netloom_core.edid.choose import Source, in_preference, pick, promised_in_vain
from netloom_core.edid.model import Mode
from netloom_core.edid.parse import NoEdid, from_file, parse
from netloom_core.edid.timings import cvt_clock, detailed, established, established_3, standard
from netloom_core.edid.vics import table
from netloom_standins import edids

# Detailed timings as CTA-861 prints them in its annex of examples.
PRINTED = {
    "01 1D 00 72 51 D0 1E 20 6E 28 55 00 C4 8E 21 00 00 1E": (1280, 720, 60, False),
    "01 1D 00 BC 52 D0 1E 20 B8 28 55 40 C4 8E 21 00 00 1E": (1280, 720, 50, False),
    "01 1D 80 18 71 1C 16 20 58 2C 25 00 C4 8E 21 00 00 9E": (1920, 1080, 60, True),
    "01 1D 80 D0 72 1C 16 20 10 2C 25 80 C4 8E 21 00 00 9E": (1920, 1080, 50, True),
    "8C 0A D0 8A 20 E0 2D 10 10 3E 96 00 C4 8E 21 00 00 18": (720, 480, 60, False),
    "8C 0A D0 90 20 40 31 20 0C 40 55 00 C4 8E 21 00 00 18": (720, 576, 50, False),
    "02 3A 80 18 71 38 2D 40 58 2C 45 00 C4 8E 21 00 00 1E": (1920, 1080, 60, False),
    "8C 0A A0 14 51 F0 16 00 26 7C 43 00 C4 8E 21 00 00 98": (1440, 480, 60, True),
}


@pytest.mark.parametrize("words", PRINTED)
def test_printed_timings(words: str) -> None:
    mode = detailed(bytes.fromhex(words), "detailed timing")
    assert mode is not None
    assert mode.size == PRINTED[words]


def test_rates_of_all_codes_are_those_of_the_table() -> None:
    rates = {round(mode.refresh, 1) for mode in table().values()}
    assert len(table()) == 127 + 27
    plain = {24.0, 25.0, 30.0, 48.0, 50.0, 60.0, 100.0, 120.0, 200.0, 240.0}
    by_1001 = {59.9, 119.9, 239.8}  # of 480 lines, told at 60/1.001
    assert rates <= plain | by_1001 | {60.1, 50.1}, "262 and 312 lines make a little more"


CODES = """
1 640x480 59.94 Hz, 4:3
5 1920x1080i 60 Hz, 16:9
16 1920x1080 60 Hz, 16:9
39 1920x1080i 50 Hz, 16:9
65 1280x720 24 Hz, 64:27
90 2560x1080 60 Hz, 64:27
97 3840x2160 60 Hz, 16:9
102 4096x2160 60 Hz, 256:135
127 5120x2160 100 Hz, 64:27
199 7680x4320 60 Hz, 16:9
217 10240x4320 120 Hz, 64:27
219 4096x2160 120 Hz, 256:135
"""


def test_codes() -> None:
    for line in CODES.strip().splitlines():
        code, said = line.split(" ", 1)
        assert f"{table()[int(code)].label}, {table()[int(code)].aspect}" == said


def test_established_and_standard_timings() -> None:
    assert [m.label for m in established(b"\x21\x08\x00")] == ["640x480 60 Hz", "800x600 60 Hz", "1024x768 60 Hz"]
    assert [m.label for m in established(b"\x00\x10\x80")] == ["1024x768i 87 Hz", "1152x870 75 Hz"]
    assert [m.label for m in established_3(b"\x80\x00\x00\x00\x00\x10")] == ["640x350 85 Hz", "1920x1440 75 Hz"]
    assert standard(b"\x01\x01", (1, 4)) is None
    # The worked examples of E-EDID A2, 3.9, and one of 1:1 as it was before EDID 1.3.
    for pair, version, label in (
        ("8180", (1, 4), "1280x1024 60 Hz"), ("6159", (1, 4), "1024x768 85 Hz"), ("d1c0", (1, 4), "1920x1080 60 Hz"),
        ("d100", (1, 4), "1920x1200 60 Hz"), ("8100", (1, 2), "1280x1280 60 Hz"),
    ):  # fmt: skip
        mode = standard(bytes.fromhex(pair), version)
        assert mode is not None
        assert mode.label == label


# Width, height, rate, whether blanking is reduced, pixel clock in kHz: as VESA's tables have them.
BY_CVT = (
    (1920, 1080, 60, False, 173_000), (1920, 1080, 60, True, 138_500), (1280, 768, 60, True, 68_250),
    (1400, 1050, 60, False, 121_750), (1680, 1050, 60, False, 146_250), (1920, 1200, 60, True, 154_000),
    (1920, 1200, 60, False, 193_250),
)  # fmt: skip


@pytest.mark.parametrize(("width", "height", "rate", "reduced", "clock"), BY_CVT)
def test_clocks_by_the_formula_of_cvt(width: int, height: int, rate: int, reduced: bool, clock: int) -> None:
    assert cvt_clock(width, height, rate, reduced=reduced) == clock


BIG = {"best": "3840x2160p60", "hdmi": 340, "forum": 600}


def test_a_whole_one() -> None:
    named = {"maker": "BEL", "product": 0x5501, "name": "D55", "serial_text": "BD55001", "standard": ["d1c0", "8180"]}
    heard = {"sound": ["pcm", "ac3", "dts"], "deep": [10, 12], "hdr": True}
    said = parse(edids.made({**BIG, **named, **heard, "codes": [97, 96, 16, 31, 4]}))
    assert (said.version, said.maker, said.product, said.name, said.serial) == ("1.4", "BEL", 0x5501, "D55", "BD55001")
    assert (said.made, said.interface, said.bits, said.width_mm, said.height_mm) == (
        "week 12 of 2023",
        "HDMI-a",
        8,
        1210,
        680,
    )
    assert said.findings == ()
    assert [m.label for m in said.modes if m.preferred] == ["3840x2160 60 Hz"]
    assert {m.vic for m in said.modes if m.vic} == {97, 96, 16, 31, 4}
    assert [s.label for s in said.sounds] == [
        "LPCM, 2 ch, 32/44.1/48/88.2/96/176.4/192 kHz, 16/20/24 bit",
        "AC-3, 6 ch, 32/44.1/48 kHz, up to 640 kbit/s",
        "DTS, 6 ch, 32/44.1/48 kHz, up to 1536 kbit/s",
    ]
    assert said.hdmi is not None
    assert said.hdr is not None
    assert (said.hdmi.port, said.hdmi.most_clock, said.hdmi.deep_colour, said.hdmi.scrambling) == (
        "1.0.0.0",
        600_000,
        (10, 12),
        True,
    )
    assert said.hdr.curves == ("SDR", "PQ (ST 2084)")
    assert said.hdr.most == 800.0
    assert said.hdr.most_average == 400.0
    assert said.hdr.least == pytest.approx(800 * (64 / 255) ** 2 / 100, abs=1e-4)
    assert said.colorimetry == ("BT2020YCC", "BT2020RGB")
    assert said.speakers == ("FL/FR",)
    assert said.colours == ("RGB", "YCbCr 4:4:4", "YCbCr 4:2:2")


def test_what_is_wrong_with_one_is_told() -> None:
    good = edids.made({"hdmi": 165})

    def wrong(data: bytes) -> list[str]:
        return [f"{one.where}: {one.message}" for one in parse(data).errors]

    assert wrong(good) == []
    assert wrong(edids.made({"hdmi": 165, "wrong": ["checksum"]}))[0].startswith("checksum: block 1 has the checksum")
    assert wrong(good[:128]) == ["blocks: it is said to have 1 further blocks, and has 0"]
    assert wrong(good + good[:5]) == ["length: 261 bytes are no whole blocks of 128"]
    unnamed = edids.sealed(good[:8] + b"\x80\x00" + good[10:127]) + good[128:]
    assert wrong(unnamed) == ["maker: 8000h is no three letters of a maker"]
    mute = parse(edids.made({"sound": ["pcm"], "wrong": ["mute"]}))
    assert [f.message for f in mute.findings] == [
        "it tells sound and no HDMI block: a source takes it for DVI and sends none"
    ]
    assert not mute.sound_by_hdmi
    lies = parse(edids.made({"hdmi": 165, "wrong": ["promises"]}))
    assert any("3840x2160 60 Hz needs more than the 165 MHz" in f.message for f in lies.findings)


def test_what_is_none_is_refused() -> None:
    for data in (b"", b"\x00" * 128, b"%PDF-1.7" + b" " * 200, edids.made({})[:127]):
        with pytest.raises(NoEdid):
            parse(data)
    with pytest.raises(NoEdid):
        from_file(b"hello")
    good = edids.made({})
    spelled = " ".join(f"{byte:02x}" for byte in good)
    assert (
        from_file(good)
        == from_file(spelled.encode())
        == from_file(spelled.upper().replace(" ", "\r\n").encode())
        == good
    )
    assert from_file(", ".join(f"0x{byte:02X}" for byte in good).encode()) == good


def test_what_a_source_picks() -> None:
    four_k = parse(
        edids.made({"best": "3840x2160p60", "hdmi": 340, "forum": 600, "codes": [97, 95, 16, 4], "sound": ["pcm"]})
    )
    best = pick(four_k, Source())
    assert best.mode is not None
    assert best.mode.label == "3840x2160 60 Hz"
    assert best.sound
    assert not best.passed
    older = pick(four_k, Source(most_clock=300_000))
    assert older.mode is not None
    assert older.mode.label == "3840x2160 30 Hz"
    assert older.passed[0][1] == "it needs 594 MHz, and it goes to 300"
    assert pick(four_k, Source(most_clock=150_000)).mode.label == "1920x1080 60 Hz"  # type: ignore[union-attr]
    assert not pick(four_k, Source(hdmi=False)).sound
    old = pick(four_k, Source(most_clock=20_000, interlaced=False))
    assert old.mode is None
    assert old.because == "nothing that the display takes can be made"
    lies = parse(edids.made({"best": "1920x1080p60", "hdmi": 165, "wrong": ["promises"]}))
    assert pick(lies, Source()).mode.label == "1920x1080 60 Hz"  # type: ignore[union-attr]


def test_the_list_of_preference_comes_first() -> None:
    good = edids.made({"best": "1920x1080p60", "codes": [16, 31, 4]})
    more = bytearray(good[128:255])
    end = more[2]
    block = b"\xe4\x0d\x04\x81\x1f"  # VIC 4, the first detailed timing, VIC 31
    more[end : end + len(block)] = block
    more[2] = end + len(block)
    said = parse(good[:128] + edids.sealed(bytes(more)))
    assert [mode.label for mode, _ in in_preference(said)][:3] == [
        "1280x720 60 Hz",
        "1920x1080 60 Hz",
        "1920x1080 50 Hz",
    ]


def test_modes_in_420() -> None:
    good = edids.made({"hdmi": 300, "codes": [16, 97, 96]})
    more = bytearray(good[128:255])
    end = more[2]
    block = b"\xe2\x0e\x66" + b"\xe2\x0f\x06"  # VIC 102 in 4:2:0 alone; the second and third code in it, too
    more[end : end + len(block)] = block
    more[2] = end + len(block)
    said = parse(good[:128] + edids.sealed(bytes(more)))
    assert [m.vic for m in said.modes if m.only_420] == [102]
    assert [m.vic for m in said.modes if m.also_420] == [97, 96]


def test_displayid_is_read() -> None:
    clock = (533_250 // 10 - 1).to_bytes(3, "little")
    numbers = [3840, 160, 48, 32, 2160, 62, 3, 5]
    timing = clock + b"\x88" + b"".join((n - 1).to_bytes(2, "little") for n in numbers)
    data = b"\x03\x00\x14" + timing + b"\x0b\x00\x03abc"
    section = bytes((0x13, len(data), 0x03, 0)) + data
    section += bytes((-sum(section) % 256,))
    base = bytearray(edids.made({"hdmi": 0})[:127])
    base[126] = 1
    said = parse(edids.sealed(bytes(base)) + edids.sealed(b"\x70" + section))
    assert not said.errors
    assert said.blocks == ("DisplayID 1.3", "DisplayID Type I timing", "DisplayID text")
    found = next(m for m in said.modes if m.said_by == "Type I timing")
    assert (found.width, found.height, round(found.refresh), found.clock, found.preferred) == (
        3840,
        2160,
        60,
        533_250,
        True,
    )
    bad = bytearray(section)
    bad[-1] ^= 1
    again = parse(edids.sealed(bytes(base)) + edids.sealed(b"\x70" + bytes(bad)))
    assert [f.message for f in again.errors] == ["the checksum of its section is wrong"]


def test_what_is_promised_in_vain() -> None:
    offered = parse(
        edids.made(
            {
                "best": "3840x2160p60",
                "hdmi": 340,
                "forum": 600,
                "codes": [97, 16],
                "sound": ["pcm", "dts"],
                "hdr": True,
                "deep": [10],
            }
        )
    )
    small = parse(edids.made({"best": "1920x1080p60", "codes": [16], "sound": ["pcm"]}))
    screen = parse(edids.made({"best": "1920x1080p60", "hdmi": 0}))
    assert promised_in_vain(offered, [("Hall display 1", small)]) == [
        "Hall display 1 does not take 3840x2160 60 Hz, which a source would pick",
        "Hall display 1 takes no DTS",
        "Hall display 1 shows no PQ (ST 2084)",
        "Hall display 1 takes 8 bits a colour, not 10",
    ]
    assert "Old screen takes no sound" in promised_in_vain(small, [("Old screen", screen)])
    assert promised_in_vain(small, [("Hall display 1", small)]) == []
    assert Mode(1, 1, 59.94).size == Mode(1, 1, 60.0).size
