"""Shapes of firmware: files, what is wanted of models, devices against both."""

from __future__ import annotations

from rest_framework import serializers

from netloom_server.base.forms import Form


class FirmwareFileSerializer(Form):
    """`profile` is empty where it fits no model; `there` is false where its bytes are gone."""

    id = serializers.CharField()
    name = serializers.CharField()
    size = serializers.IntegerField()
    digest = serializers.CharField()
    profile = serializers.CharField()
    model = serializers.CharField()
    code = serializers.CharField()
    hardware = serializers.ListField(child=serializers.CharField())
    version = serializers.CharField()
    dated = serializers.DateField(allow_null=True)
    notes = serializers.CharField()
    source = serializers.CharField()  # type: ignore[assignment]
    refused = serializers.CharField()
    supersedes = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()
    there = serializers.BooleanField()


class LeftSerializer(Form):
    name = serializers.CharField()
    why = serializers.CharField()


class FirmwareTakenSerializer(Form):
    """What came of an import: files that were added, and those that were left out, with the reason."""

    added = FirmwareFileSerializer(many=True)
    left = LeftSerializer(many=True)


class ModelFirmwareSerializer(Form):
    """What is wanted of a model: the current version, the least and why. `known_least` is what its profile says."""

    profile = serializers.CharField()
    model = serializers.CharField()
    scheme = serializers.CharField()
    current = serializers.CharField()
    said = serializers.BooleanField()  # whether a person said which is current
    least = serializers.CharField()
    why = serializers.CharField()
    known_least = serializers.CharField()
    known_why = serializers.CharField()


class FirmwareLibrarySerializer(Form):
    files = FirmwareFileSerializer(many=True)
    models = ModelFirmwareSerializer(many=True)


class MarkSerializer(Form):
    """What people say of a file. An empty `refused` takes that back."""

    refused = serializers.CharField(required=False, allow_blank=True, max_length=200)
    notes = serializers.CharField(required=False, allow_blank=True, max_length=20_000)
    version = serializers.CharField(required=False, allow_blank=True, max_length=60)
    profile = serializers.CharField(required=False, allow_blank=True, max_length=60)
    source = serializers.CharField(required=False, allow_blank=True, max_length=200)  # type: ignore[assignment]
    supersedes = serializers.CharField(required=False, allow_blank=True, max_length=200)
    dated = serializers.DateField(required=False, allow_null=True)


class WantSerializer(Form):
    """An empty `current` means the newest that may be used; `least` needs a `why`."""

    current = serializers.CharField(required=False, allow_blank=True, max_length=60, default="")
    least = serializers.CharField(required=False, allow_blank=True, max_length=60, default="")
    why = serializers.CharField(required=False, allow_blank=True, max_length=200, default="")


class DeviceFirmwareSerializer(Form):
    """A device against the library: `word` is behind, refused, current, ahead, mixed, no-application or unknown."""

    id = serializers.CharField()
    name = serializers.CharField()
    model = serializers.CharField()
    profile = serializers.CharField()
    firmware = serializers.CharField()
    word = serializers.CharField()
    why = serializers.CharField()
    current = serializers.CharField()


class DevicesFirmwareSerializer(Form):
    devices = DeviceFirmwareSerializer(many=True)


class OfferedFileSerializer(Form):
    id = serializers.CharField()
    name = serializers.CharField()
    version = serializers.CharField()
    notes = serializers.CharField()
    hardware = serializers.ListField(child=serializers.CharField())
    makes = serializers.CharField()  # another model, where its application makes one of it


class AsideValueSerializer(Form):
    path = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    value = serializers.JSONField()
    fits = serializers.BooleanField()


class AsideSerializer(Form):
    """What was decided for the model that it was; `fits` is what the model of now has, too."""

    id = serializers.CharField()
    model = serializers.CharField()
    at = serializers.DateTimeField()
    values = AsideValueSerializer(many=True)


class TakeBackSerializer(Form):
    paths = serializers.ListField(child=serializers.CharField(max_length=200), max_length=2000)


class FirmwareOfDeviceSerializer(Form):
    """One device against the library, and the files that it could be given, the newest first."""

    word = serializers.CharField()
    why = serializers.CharField()
    current = serializers.CharField()
    files = OfferedFileSerializer(many=True)
    unplug = serializers.BooleanField()
    aside = AsideSerializer(many=True)
