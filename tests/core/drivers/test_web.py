"""HTTP sign-in by the vectors of its standards; bodies as trees; any challenge and any body at all."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.documents.tree import get
from netloom_core.drivers.http.bodies import decoded, encoded
from netloom_core.errors import ProtocolError
from netloom_core.protocols import http_auth

MD5 = (
    'Digest realm="http-auth@example.org", qop="auth, auth-int", algorithm=MD5, '
    'nonce="7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v", '
    'opaque="FQhe/qaU925kfnzjCev0ciny7QMkPqMAFRtzCUYo5tdS"'
)
SHA = MD5.replace("algorithm=MD5", "algorithm=SHA-256")
CNONCE = "f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ"


@pytest.mark.parametrize(
    ("header", "response"),
    [
        (MD5, "8ca523f5e9506fed4657c9700eebdbec"),
        (SHA, "753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1"),
    ],
)
def test_digest_is_that_of_the_standards_example(header: str, response: str) -> None:
    """RFC 7616 clause 3.9.1."""
    [challenge] = http_auth.challenges([("www-authenticate", header)])
    made = http_auth.digest(challenge, "Mufasa", "Circle of Life", "GET", "/dir/index.html", cnonce=CNONCE)
    assert f'response="{response}"' in made
    assert "nc=00000001" in made


def test_without_qop_it_is_the_older_form() -> None:
    """RFC 2617 clause 3.2.2.1 without qop: H(H(A1):nonce:H(A2))."""
    [challenge] = http_auth.challenges([("www-authenticate", 'Digest realm="r", nonce="n"')])
    made = http_auth.digest(challenge, "u", "p", "GET", "/")
    assert "qop" not in made
    import hashlib

    first, second = (hashlib.md5(text.encode()).hexdigest() for text in ("u:r:p", "GET:/"))
    assert hashlib.md5(f"{first}:n:{second}".encode()).hexdigest() in made


def test_the_strongest_of_several_challenges_comes_first() -> None:
    found = http_auth.challenges([("www-authenticate", MD5), ("www-authenticate", SHA)])
    assert [one.algorithm for one in found] == ["SHA-256", "MD5"]
    assert http_auth.challenges([("www-authenticate", 'Basic realm="x"')]) == []


def test_basic_is_that_of_the_standards_example() -> None:
    """RFC 7617 clause 2."""
    assert http_auth.basic("Aladdin", "open sesame") == "Basic QWxhZGRpbjpvcGVuIHNlc2FtZQ=="


@given(st.text(max_size=300))
def test_any_challenge_is_met_or_left(text: str) -> None:
    for challenge in http_auth.challenges([("www-authenticate", "Digest " + text), ("set-cookie", text)]):
        try:
            assert http_auth.digest(challenge, "u", "p", "GET", "/").startswith("Digest ")
        except ProtocolError:
            continue
    assert len(http_auth.cookies([("set-cookie", text)] * 40)) <= 16


def test_trees_of_xml_and_forms() -> None:
    tree = decoded(b'<u v="2"><n>7</n><o><a>1</a></o><o><a>2</a></o></u>', "xml", "it")
    assert (get(tree, "/n"), get(tree, "/o/1/a"), get(tree, "/@v")) == ("7", "2", "2")
    assert decoded(b"A=1\nB = two\n", "form", "it") == {"A": "1", "B": "two"}
    assert decoded(b"A=1&B=two+words", "form", "it") == {"A": "1", "B": "two words"}
    assert encoded({"a": True, "b": "x y"}, "form") == b"a=true&b=x+y"
    assert decoded(encoded({"n": "<&>", "o": {"p": 3}}, "xml", "unit"), "xml", "it") == {"n": "<&>", "o": {"p": "3"}}


@given(st.sampled_from(["json", "xml", "form"]), st.binary(max_size=200))
def test_any_body_is_a_tree_or_no(form: str, data: bytes) -> None:
    try:
        decoded(data, form, "it")
    except ProtocolError:
        return
