"""Documents, pointers and differences."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.documents.diff import differences, towards
from netloom_core.documents.tree import MISSING, canonical, digest, get, leaves, merged, put, remove, tokens
from netloom_core.errors import UnknownSetting
from netloom_core.model.change import Change

names = st.text(st.characters(codec="utf-8"), min_size=1, max_size=6)
values = st.one_of(st.integers(-(2**40), 2**40), st.text(max_size=8), st.booleans(), st.none())
documents = st.dictionaries(names, st.recursive(values, lambda c: st.dictionaries(names, c, min_size=1, max_size=4)))


def test_pointers_of_the_standard() -> None:
    """Examples of RFC 6901, clause 5."""
    document = {"foo": ["bar", "baz"], "": 0, "a/b": 1, "m~n": 8, " ": 7}
    assert get(document, "/foo/0") == "bar"
    assert get(document, "/") == 0
    assert get(document, "/a~1b") == 1
    assert get(document, "/m~0n") == 8
    assert get(document, "/ ") == 7
    assert get(document, "/no/such") is MISSING
    with pytest.raises(UnknownSetting, match="not a path"):
        tokens("foo")


@settings(max_examples=40, deadline=None)  # such documents are slow to make
@given(documents)
def test_leaves_build_the_document_again(document: dict) -> None:
    built: dict = {}
    for path, value in leaves(document):
        put(built, path, value)
    assert built == document


@settings(max_examples=40, deadline=None)  # such documents are slow to make
@given(documents)
def test_the_digest_does_not_depend_on_order(document: dict) -> None:
    turned = dict(reversed(list(document.items())))
    assert canonical(turned) == canonical(document)
    assert digest(turned) == digest(document)


@settings(max_examples=40, deadline=None)  # such documents are slow to make
@given(documents, documents)
def test_differences_lead_from_one_to_the_other(before: dict, after: dict) -> None:
    found = differences(before, after)
    assert (found == []) == (dict(leaves(before)) == dict(leaves(after)))
    assert [c.reversed() for c in found] == differences(after, before)


def test_towards_leaves_alone_what_was_not_decided() -> None:
    running = {"relays": {"1": {"idle": "open", "pulse_ms": 500}}, "name": "x"}
    wanted = {"relays": {"1": {"idle": "closed"}}}
    assert towards(running, wanted) == [Change("/relays/1/idle", "open", "closed")]
    assert towards(running, {"name": "x"}) == []
    assert towards(running, wanted, paths=["/name"]) == []


def test_remove_takes_empty_objects_along_and_merged_copies() -> None:
    document = {"a": {"b": {"c": 1}}, "d": 2}
    copied = merged(document, {"/a/b/c": 5})
    remove(document, "/a/b/c")
    assert document == {"d": 2}
    assert copied["a"]["b"]["c"] == 5
    remove(document, "/no/such")
    assert document == {"d": 2}
