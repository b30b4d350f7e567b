"""Profiles: those that ship are good; bad ones are told with the place; values are checked."""

import json
import shutil
from pathlib import Path

import pytest

from netloom_core.documents.tree import get
from netloom_core.errors import OutOfRange, ProfileError, Reserved, UnknownSetting
from netloom_core.library.load import Library
from netloom_core.library.publish import reference, schema
from netloom_core.library.read import load_profile, parts_in
from netloom_core.profiles.defaults import default_document
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.values import checked, unmet_needs
from tests.conftest import ROOT

PARTS = parts_in(ROOT / "profiles")
GOOD = (ROOT / "profiles/dunmarrow/dr2.yaml").read_text()


def test_every_default_is_a_good_value(library: Library) -> None:
    for profile in library:
        document = default_document(profile)
        for path, setting in profile.by_path.items():
            if not setting.reserved and not setting.secret:
                value = get(document, path)
                assert checked(profile, path, value) == value, f"{profile.id} {path}"


def test_table_entries_are_used_once(library: Library) -> None:
    for profile in library:
        bound = [one.binding for name in profile.channels for one in profile.bound(name)]
        ids = [binding.entry for binding in bound if getattr(binding, "entry", None) is not None]
        assert len(ids) == len(set(ids)), profile.id


def test_the_published_schema_is_the_classes_own() -> None:
    """After a change of the form: python -m netloom_core.library.publish profiles/profile.schema.json \\
    docs/profile-reference.md"""
    assert (ROOT / "docs/profile-reference.md").read_text() == reference()
    assert json.loads((ROOT / "profiles/profile.schema.json").read_text()) == schema()


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("format: 2", "format: 3", "format"),
        ("format: 2", "format: 1", "of form 1"),
        ("maker: Dunmarrow", "maker: [", "not YAML"),
        ("kind: reader", "kind: reader\ncolour: red", "colour"),
        ("path: /sounder/level", "path: /lamp/level", "described twice"),
        ("codes: [DR2-FW]", "codes: []", "codes to compare with"),
        ("'^DNMR code=", "'^(D+)+NMR code=", "search for ever"),
        ("away: 3\n", "away: 3\n  rest: initialise\n", "there is no procedure initialise"),
        ("away: 3\n", "away: 3\n  becomes: {DR2-FW: x}\n", "makes no other model"),
        ("model_number: 2,", "model_number: 2, vendor: xyz,", "channels.bus.vendor"),
        ("bus: {model", "bus: {protocol: smoke, model", "no protocol 'smoke'"),
        ("entry: 65", "entrance: 65", "/sounder/level: bind.bus.entrance"),
        ("[osdp-table]", "[osdp-tables]", "no part 'osdp-tables'"),
        ("id: dunmarrow-dr2", "id: dunmarrow-dr2\nid: two", "stands there twice"),
        ("bind: {bus: {entry: 64}}", "bind: {usb: {entry: 64}}", "bound to usb"),
        ("path: /lamp/level", 'path: "/lamp/{lamp}/level"', "counts by lamp"),
        # What would fail only when it is used
        ("items:\n", "items:\n  - {path: /bus/speed, type: text, default: fast}\n", "speed is a whole number"),
        ('{is: integer, unit: "%", maximum: 100}, default: 80', "text", "whole numbers from 0"),
        ("entry: 65", "entry: 64", "is /lamp/level already"),
        ("items:\n", "items:\n  - {path: /tamper, use: [live, driven]}\n", "lamps, sounders and texts are driven"),
        ("items:\n", "items:\n  - {path: /tamper, type: {is: choice, options: {a: A, b: B, c: C}}}\n", "two states"),
        ("items:\n", "items:\n  - {path: /tamper, type: {is: choice, options: {a: A}}}\n", "two or more states"),
        (
            'unit: "%", maximum: 100}, default: 80',
            'unit: "%", minimum: 101, maximum: 100}, default: 80',
            "above its maximum",
        ),
        ("default: 80", "default: eighty", "its default 'eighty' is not"),
    ],
)
def test_a_bad_profile_names_the_trouble(tmp_path: Path, old: str, new: str, words: str) -> None:
    assert old in GOOD
    bad = tmp_path / "bad.yaml"
    bad.write_text(GOOD.replace(old, new, 1))
    with pytest.raises(ProfileError, match=words):
        load_profile(bad, PARTS)


def test_two_with_one_id(tmp_path: Path) -> None:
    shutil.copytree(ROOT / "profiles/parts", tmp_path / "parts")
    (tmp_path / "a.yaml").write_text(GOOD)
    (tmp_path / "b.yaml").write_text(GOOD)
    with pytest.raises(ProfileError, match="Two profiles"):
        Library.read(tmp_path)


def test_facts_find_the_model(library: Library) -> None:
    assert library.best({"maker": "HALLVANE", "model": "rx8"}).id == "hallvane-rx8"  # type: ignore[union-attr]
    assert library.best({"vendor": "0A4E4C", "model_number": "24"}).id == "dunmarrow-dm24"  # type: ignore[union-attr]
    assert library.best({"maker": "Somebody"}) is None
    assert library.best({}) is None


@pytest.mark.parametrize(
    ("path", "given", "taken"),
    [
        ("/relays/1/idle", "Closed", "closed"),
        ("/relays/8/pulse_ms", "500", 500),
        ("/network/address", "127.20.10.21", "127.20.10.21"),
        ("/network/mask", "24", "255.255.255.0"),
        ("/name", "", ""),
    ],
)
def test_words_are_understood(library: Library, path: str, given: object, taken: object) -> None:
    assert checked(library.need("hallvane-rx8"), path, given) == taken


@pytest.mark.parametrize(
    ("path", "given", "words"),
    [
        ("/relays/1/pulse_ms", 49, "50 to 60000 ms"),
        ("/relays/1/pulse_ms", True, "whole number"),
        ("/relays/1/pulse_ms", "soon", "whole number"),
        ("/relays/1/pulse_ms", 1.5, "whole number"),
        ("/relays/1/idle", "ajar", "open, closed"),
        ("/network/address", "127.20.10.256", "IPv4"),
        ("/network/mask", "255.0.255.0", "netmask"),
        ("/name", "x" * 33, "32 characters"),
        ("/name", "two\nlines", "one line"),
    ],
)
def test_values_out_of_range_say_the_range(library: Library, path: str, given: object, words: str) -> None:
    with pytest.raises(OutOfRange) as caught:
        checked(library.need("hallvane-rx8"), path, given)
    assert words in caught.value.hint
    assert "Nothing was changed" in caught.value.hint


def test_unknown_and_reserved(library: Library) -> None:
    with pytest.raises(UnknownSetting):
        checked(library.need("hallvane-rx8"), "/relays/9/idle", "open")
    data = library.need("dunmarrow-dr2").model_dump()
    lamp = next(item for item in data["items"] if item["path"] == "/lamp/level")
    lamp["reserved"] = "set in the factory"
    with pytest.raises(Reserved, match="set in the factory"):
        checked(Profile.model_validate(data), "/lamp/level", 5)


def test_needs_are_told(library: Library) -> None:
    profile = library.need("hallvane-rx8")
    document = {"relays": {"1": {"action": "latch", "pulse_ms": 700}}}
    assert "not Pulse" in unmet_needs(profile, "/relays/1/pulse_ms", document)[0]
    document["relays"]["1"]["action"] = "pulse"
    assert unmet_needs(profile, "/relays/1/pulse_ms", document) == []


def test_what_applications_make_of_a_model_is_described(library: Library) -> None:
    for profile in library:
        for code, other in profile.firmware.becomes.items() if profile.firmware is not None else ():
            made = library.need(other)
            assert made.firmware is not None
            assert code in made.firmware.codes, f"{profile.id} becomes {other} by {code}, which is another one's"
