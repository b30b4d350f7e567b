"""What a console's log keeps, and what it must not."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.console.recorder import IN, NOTE, OUT, Entry, Recorder


def whole(recorder: Recorder, direction: str = "") -> bytes:
    return b"".join(e.data for e in recorder.entries if direction in ("", e.direction))


def test_both_directions_with_times() -> None:
    recorder = Recorder()
    recorder.received(b"Hello\r\n> ", 10.0)
    recorder.typed(b"id\r", 11.0)
    recorder.received(b"H1\r\n", 11.2)
    recorder.received(b"> ", 11.3)
    recorder.note("break", 12.0)
    assert recorder.take() == [Entry(10.0, IN, b"Hello\r\n> "), Entry(11.0, OUT, b"id\r"),
                               Entry(11.2, IN, b"H1\r\n> "), Entry(12.0, NOTE, b"break")]  # fmt: skip
    assert recorder.take() == []


@pytest.mark.parametrize(
    "prompt",
    [
        b"Password: ",
        b"password for admin: ",
        b"Enter passcode> ",
        b"PIN:",
        b"Passphrase: ",
        b"\x1b[1mPassword:\x1b[0m ",
        b"Passwort: ",
        b"Kennwort f\xc3\xbcr admin: ",
        b"Mot de passe : ",
        "Contraseña: ".encode(),
        "Lösenord: ".encode(),
        b"Wachtwoord: ",
        "Пароль: ".encode(),
        "密码：".encode(),
        "パスワード: ".encode(),
    ],
)
def test_nothing_typed_after_a_prompt_for_a_password_stays(prompt: bytes) -> None:
    recorder = Recorder()
    recorder.received(b"login: ", 1)
    recorder.typed(b"tech\r", 1)
    recorder.received(prompt, 1)
    for byte in b"hunter2":
        recorder.typed(bytes((byte,)), 2)
    recorder.typed(b"\r", 2)
    recorder.received(b"\r\nWelcome\r\n> ", 2)
    recorder.typed(b"show\r", 3)
    assert b"hunter2" not in whole(recorder)
    assert "•••\rshow\r".encode() in whole(recorder, OUT)
    assert b"tech" in whole(recorder, OUT)
    assert b"Welcome" in whole(recorder, IN)


def test_a_device_that_echoes_passwords_does_not_get_them_into_the_log() -> None:
    recorder = Recorder()
    recorder.received(b"Password:", 1)
    for byte in b"s3cret!":
        recorder.typed(bytes((byte,)), 2)
        recorder.received(bytes((byte,)), 2.01)
    recorder.typed(b"\r", 2.1)
    recorder.received(b"\r\nok\r\n", 2.2)
    assert whole(recorder, IN) == b"Password:\r\nok\r\n"


def test_an_echo_that_comes_after_the_line_is_left_out_too() -> None:
    recorder = Recorder()
    recorder.received(b"Password:", 1)
    recorder.typed(b"s3cret!\r", 2)
    recorder.received(b"s3c", 2.1)
    recorder.received(b"ret!\r\nok", 2.2)
    assert b"s3c" not in whole(recorder)
    assert b"ret!" not in whole(recorder)


@pytest.mark.parametrize(
    "command", [b"set password ", b"snmp community ", b"wifi psk=", b"auth-key: ", b"set pass ", b"login;pwd=", b"pw="]
)
def test_a_password_in_a_command_is_left_out(command: bytes) -> None:
    recorder = Recorder()
    recorder.typed(command + b"hunter2\r", 1)
    recorder.received(command + b"hunter2\r\nok\r\n", 1.1)
    kept = whole(recorder, OUT)
    assert kept.startswith(command.rstrip(b" "))
    assert b"hunter2" not in kept


def test_what_a_device_repeats_of_a_password_is_left_out_even_in_pieces() -> None:
    recorder = Recorder()
    recorder.typed(b"set password hunter2\r", 1)
    recorder.received(b"set password hunter2\r\nunknown command: set password hun", 1.1)
    first = recorder.take()
    recorder.received(b"ter2\r\n> ", 3.0)
    kept = b"".join(e.data for e in [*first, *recorder.end()])
    assert b"hunter2" not in kept
    assert b"hun" not in kept
    assert b"unknown command" in kept


@given(st.lists(st.tuples(st.booleans(), st.binary(max_size=40)), max_size=40), st.binary(min_size=6, max_size=12))
def test_any_talk_before_a_password_does_not_let_it_through(talk: list[tuple[bool, bytes]], secret: bytes) -> None:
    secret = bytes(b for b in secret if b not in b"\r\n") or b"secret"
    recorder = Recorder()
    for out, data in talk:
        (recorder.typed if out else recorder.received)(data, 1.0)
    recorder.typed(b"\r", 1.5)
    recorder.take()
    recorder.received(b"\r\nPassword: ", 10.0)
    recorder.typed(secret + b"\r", 11.0)
    assert secret not in whole(recorder, OUT)


def test_a_line_that_a_device_does_not_give_back_is_a_secret() -> None:
    """It echoes what is typed, but not this; what it asks with is in no list."""
    recorder = Recorder()
    recorder.received(b"unit> ", 1)
    for byte in b"enable":
        recorder.typed(bytes((byte,)), 2)
        recorder.received(bytes((byte,)), 2)
    recorder.typed(b"\r", 2)
    recorder.received(b"\r\nzz? ", 2)
    for byte in b"hunter2":
        recorder.typed(bytes((byte,)), 3)
        recorder.take()
    recorder.typed(b"\r", 3)
    recorder.received(b"\r\nunit# ", 3.1)
    recorder.typed(b"show all\r", 4)
    recorder.received(b"show all\r\nhunter2 is set", 4.1)
    kept = b"".join(entry.data for entry in recorder.end())
    assert b"hunter2" not in kept
    assert b"show all" in kept


def test_commands_of_a_device_that_never_echoes_stay_in_the_log() -> None:
    recorder = Recorder()
    for line in (b"POWR ON\r", b"INPT 3\r"):
        recorder.typed(line, 1)
        recorder.received(b"OK\r\n", 1.1)
    assert whole(recorder, OUT) == b"POWR ON\rINPT 3\r"


def test_a_profile_knows_how_its_device_asks() -> None:
    recorder = Recorder(prompts=("zugang> *$",))
    recorder.received(b"Zugang> ", 1)
    recorder.typed(b"hunter2\r", 1)
    assert b"hunter2" not in whole(recorder)
