"""People: what may be changed of them, so that a lead always exists; what was changed is in the journal."""

from __future__ import annotations

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role, SignInLink, User
from netloom_server.base.problems import Conflict, NotFound


def find(pk: int) -> User:
    user = User.objects.filter(pk=pk).first()
    if user is None:
        raise NotFound("There is no such person.")
    return user


def named(username: str) -> User:
    user = User.objects.filter(username=username).first()
    if user is None:
        raise NotFound(f"There is no person named {username}.", "`netloom people list` names all.")
    return user


def good_password(password: str, user: User | None = None) -> str:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise RequestError(" ".join(error.messages), "Choose another password.") from error
    return password


def add(username: str, role: str, password: str) -> User:
    """Without a password the person can sign in by a one-time link only."""
    if User.objects.filter(username__iexact=username).exists():
        raise Conflict(f"There is a person named {username} already.", "Choose another name.")
    return User.objects.create_user(username, password=good_password(password) if password else None, role=role)


@transaction.atomic
def change(user: User, *, role: str | None = None, active: bool | None = None) -> User:
    """Raises Conflict where nobody would be left who is a lead."""
    user = User.objects.get(pk=user.pk)
    loses = (role is not None and role != Role.LEAD) or active is False
    others = User.objects.filter(role=Role.LEAD, is_active=True).exclude(pk=user.pk)
    if loses and user.role == Role.LEAD and user.is_active and not others.exists():
        raise Conflict(
            f"{user.username} is the last lead; then nobody could add people or approve baselines.",
            "Make somebody else a lead first.",
        )
    if role is not None:
        user.role = role
    if active is not None:
        user.is_active = active
    if active is False:
        forget_ways_in(user)
    user.save(update_fields=["role", "is_active", "sessions"])
    return user


def forget_ways_in(user: User) -> None:
    """End all sessions, tokens and open links of a person."""
    user.sessions += 1
    user.tokens.all().delete()
    SignInLink.objects.filter(user=user, used=None).delete()


@transaction.atomic
def end_sessions(user: User) -> None:
    user = User.objects.get(pk=user.pk)
    forget_ways_in(user)
    user.save(update_fields=["sessions"])


@transaction.atomic
def set_password(user: User, password: str) -> User:
    """Every session but the one that asks for it has to be signed in again."""
    good_password(password, user)
    user = User.objects.get(pk=user.pk)
    user.set_password(password)
    forget_ways_in(user)
    user.save(update_fields=["password", "sessions"])
    return user


def the_owner(username: str) -> User:
    """Whoever can read the owner's token owns the data folder: always a lead, whatever was made of that person."""
    user, _ = User.objects.get_or_create(username=username, defaults={"role": Role.LEAD})
    if user.role != Role.LEAD or not user.is_active:
        user.role, user.is_active = Role.LEAD, True
        user.save(update_fields=["role", "is_active"])
    return user
