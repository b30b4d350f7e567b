"""People, their roles, and one-time sign-in links."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils import timezone
from django.utils.crypto import salted_hmac

LINK_LIFE = timedelta(hours=12)


class Role(models.TextChoices):
    VIEWER = "viewer"  # sees everything, changes nothing
    TECHNICIAN = "technician"  # sweeps, plans, writes, drives, backs up
    LEAD = "lead"  # also people, lines removed, baselines, imports


class User(AbstractUser):
    """`sessions` is counted up to end all of them. `second` is the encrypted key of a second factor, which
    counts once it was `second_proven`; `second_step` is the last time step that was used, so that none is twice."""

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.VIEWER)
    sessions = models.PositiveIntegerField(default=0)
    second = models.BinaryField(default=bytes)
    second_proven = models.BooleanField(default=False)
    second_step = models.PositiveBigIntegerField(default=0)

    def get_session_auth_hash(self) -> str:
        """A session holds as long as this stays what it was."""
        salt = "netloom.sessions"
        return salted_hmac(salt, f"{self.password} {self.sessions}", algorithm="sha256").hexdigest()


class AccessToken(models.Model):
    """For scripts: acts for its person, in a role that is at most theirs. Only the token's digest is kept."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=60)
    role = models.CharField(max_length=12, choices=Role.choices)
    digest = models.CharField(max_length=64, unique=True)
    made = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)


class SignInLink(models.Model):
    """Only the token's digest is kept."""

    user = models.ForeignKey(User, on_delete=models.CASCADE)
    digest = models.CharField(max_length=64, unique=True)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)

    @classmethod
    def make(cls, user: User) -> str:
        token = secrets.token_urlsafe(24)
        cls.objects.create(user=user, digest=cls.digest_of(token), expires=timezone.now() + LINK_LIFE)
        return token

    @staticmethod
    def digest_of(token: str) -> str:
        return hashlib.sha256(token.encode()).hexdigest()

    @classmethod
    def use(cls, token: str) -> User | None:
        """The user of a link that is good, once."""
        now = timezone.now()
        taken = cls.objects.filter(digest=cls.digest_of(token), used=None, expires__gt=now).update(used=now)
        return cls.objects.select_related("user").get(digest=cls.digest_of(token)).user if taken else None
