"""Shapes of who hangs on which port of a switch, and what feeds whom."""

from __future__ import annotations

from rest_framework import serializers

from netloom_server.base.forms import Form


class HangsSerializer(Form):
    id = serializers.CharField()
    name = serializers.CharField()
    status = serializers.CharField()


class PortHangsSerializer(Form):
    """Who was last seen behind a port of a switch. Where they are several, another switch is between."""

    port = serializers.CharField()
    devices = HangsSerializer(many=True)


class FeederSerializer(Form):
    """By which point of which device it has its power."""

    device = serializers.CharField()
    name = serializers.CharField()
    point = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
