"""Profiles: those that ship are good; bad ones are told with the place; values are checked."""

import json
from pathlib import Path

import pytest

from netloom_core.errors import OutOfRange, ProfileError, Reserved, UnknownSetting
from netloom_core.profiles.defaults import default_document
from netloom_core.profiles.load import Library, load_profile
from netloom_core.profiles.schema import Profile
from netloom_core.profiles.values import checked, unmet_needs
from tests.conftest import ROOT

GOOD = (ROOT / "profiles/dunmarrow/dr2.yaml").read_text()


def test_every_default_is_a_good_value(library: Library) -> None:
    for profile in library:
        document = default_document(profile)
        for path, setting in profile.by_path.items():
            if not setting.reserved:
                value = document
                for part in path[1:].split("/"):
                    value = value[part]
                assert checked(profile, path, value) == value, f"{profile.id} {path}"


def test_table_entries_are_used_once(library: Library) -> None:
    for profile in library:
        ids = [setting.table.id for setting in profile.by_path.values() if setting.table]
        assert len(ids) == len(set(ids)), profile.id


def test_the_published_schema_is_the_classes_own() -> None:
    """After a change of the form: python -m netloom_core.profiles.publish profiles/profile.schema.json"""
    assert json.loads((ROOT / "profiles/profile.schema.json").read_text()) == Profile.model_json_schema()


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("format: 1", "format: 2", "format"),
        ("maker: Dunmarrow", "maker: [", "not YAML"),
        ("kind: reader", "kind: reader\ncolour: red", "colour"),
        ("path: /sounder/level", "path: /lamp/level", "described twice"),
        ("    vendor: 0A4E4C", "    vendor: xyz", "vendor"),
        # What would fail only when it is used
        ('{value: 9600, label: "9600"}', '{value: fast, label: "9600"}', "speed is a whole number"),
        ('type: integer, unit: "%", minimum: 0', 'type: text, unit: "%", minimum: 0', "whole number, not text"),
        ("table: {id: 65}", "table: {id: 64}", "is /lamp/level already"),
        ("    table: {vendor: 0A4E4C, read: 1, write: 2, store: 3, restart: 4}\n", "", "reach.osdp has none"),
        ("kind: tamper, label: Tamper,", "kind: lamp, label: Tamper, drive: true,", "OSDP drives outputs only"),
        ("states: [normal, tampered]", "states: [normal, odd, tampered]", "two states"),
        ("states: [normal, failed]", "states: [normal, normal]", "each once"),
        ("minimum: 0, maximum: 100, default: 80", "minimum: 101, maximum: 100, default: 80", "above its maximum"),
    ],
)
def test_a_bad_profile_names_the_trouble(tmp_path: Path, old: str, new: str, words: str) -> None:
    bad = tmp_path / "bad.yaml"
    bad.write_text(GOOD.replace(old, new, 1))
    with pytest.raises(ProfileError, match=words):
        load_profile(bad)


def test_two_with_one_id(tmp_path: Path) -> None:
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
    data["settings"][2]["reserved"] = "set in the factory"
    with pytest.raises(Reserved, match="set in the factory"):
        checked(Profile.model_validate(data), "/lamp/level", 5)


def test_needs_are_told(library: Library) -> None:
    profile = library.need("hallvane-rx8")
    document = {"relays": {"1": {"action": "latch", "pulse_ms": 700}}}
    assert "not Pulse" in unmet_needs(profile, "/relays/1/pulse_ms", document)[0]
    document["relays"]["1"]["action"] = "pulse"
    assert unmet_needs(profile, "/relays/1/pulse_ms", document) == []
