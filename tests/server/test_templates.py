"""Templates: of one device's values for others, with words that are filled in, and where each no longer holds."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from netloom_core.documents.tree import get, put
from netloom_core.errors import OutOfRange, RequestError
from netloom_core.library.load import Library
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device, Template
from netloom_server.installation.services import templates
from netloom_server.installation.services.decisions import set_intended
from netloom_server.installation.services.fitting import unit_of
from tests.server.conftest import named

HALL, DECK, PIER = "Ticket hall box", "Car deck box", "Pier head box"
PATHS = ["/relays/1/action", "/relays/1/pulse_ms"]


def has(device: Device, **values: object) -> None:
    """What it had when it was read last."""
    document: dict[str, object] = {}
    for path, value in values.items():
        put(document, path.replace("__", "/"), value)
    unit = unit_of(device)
    unit.running = Document.keep(document)
    unit.save()


@pytest.fixture
def lamp(site: None, library: Library) -> Template:
    set_intended([(named(HALL).id, "/relays/1/action", "pulse"), (named(HALL).id, "/relays/1/pulse_ms", 750)], library)
    values = {"/relays/1/name": "{area} lamp {nn}"}
    return templates.make("Lamp", named(HALL), PATHS, values, "eve", library)


def test_it_is_made_of_what_is_decided_and_applied_to_others_all_or_none(lamp: Template, library: Library) -> None:
    assert lamp.values == {"/relays/1/action": "pulse", "/relays/1/pulse_ms": 750, "/relays/1/name": "{area} lamp {nn}"}
    templates.apply(lamp, [named(DECK), named(PIER)], {}, "eve", library)
    assert get(named(DECK).intended, "/relays/1/pulse_ms") == 750
    assert get(named(PIER).intended, "/relays/1/name") == f"{named(PIER).area.name} lamp 02"  # type: ignore[union-attr]
    templates.apply(lamp, [named(PIER), named(HALL)], {}, "eve", library)
    numbers = {name: str(get(named(name).intended, "/relays/1/name"))[-2:] for name in (DECK, PIER, HALL)}
    assert numbers == {DECK: "01", PIER: "02", HALL: "03"}, "who had it keeps its number"
    reader = Device.objects.create(name="Reader", profile="dunmarrow-dr2", taken_in=True)
    extra = Device.objects.create(name="Extra", profile="hallvane-rx8", taken_in=True)
    with pytest.raises(RequestError, match="is not for it"):
        templates.apply(lamp, [extra, reader], {}, "eve", library)
    assert named("Extra").intended == {}
    with pytest.raises(Conflict, match="Somebody else changed"):
        templates.apply(lamp, [named(HALL)], {named(HALL).id: 0}, "eve", library)
    long = templates.make("Long", named(HALL), [], {"/relays/1/name": "{area} {area} {area}"}, "eve", library)
    with pytest.raises(OutOfRange):
        templates.apply(long, [named(DECK)], {}, "eve", library)


def test_where_it_no_longer_holds_is_told(lamp: Template, library: Library) -> None:
    templates.apply(lamp, [named(DECK), named(PIER)], {}, "eve", library)
    assert {one.state for one in templates.standings(lamp, library)} == {"waits"}
    wanted = {path: get(named(DECK).intended, path) for path in lamp.values}
    has(named(DECK), **{path.replace("/", "__"): value for path, value in wanted.items()})
    set_intended([(named(PIER).id, "/relays/1/pulse_ms", 90)], library)
    [pier, deck] = templates.standings(lamp, library)
    assert (deck.name, deck.state) == (DECK, "holds")
    assert (pier.state, pier.differs) == ("differs", {"/relays/1/pulse_ms": (750, 90)})
    Device.objects.filter(name=PIER).update(profile="dunmarrow-dr2")
    assert [one.state for one in templates.standings(lamp, library)] == ["gone", "holds"]


def test_what_no_template_may_have_is_refused(site: None, library: Library) -> None:
    box = named(HALL)
    for path, said in (
        ("/access/password", "cannot be in a template"), ("/network/address", "cannot be in a template"),
        ("/no/such", "has no setting"), ("/inputs/7/settle_ms", "Nobody knows"),
    ):  # fmt: skip
        with pytest.raises(RequestError, match=said):
            templates.make("Bad", box, [path], {}, "eve", library)
    with pytest.raises(OutOfRange):
        templates.make("Bad", box, [], {"/inputs/7/settle_ms": 1}, "eve", library)
    with pytest.raises(RequestError, match="more than 400 letters"):
        templates.make("Bad", box, [], {"/name": "{n}" + "x" * 400}, "eve", library)
    with pytest.raises(RequestError, match="needs a name"):
        templates.make(" ", box, [], {"/name": "x"}, "eve", library)
    with pytest.raises(NotFound):
        templates.find("77")
    assert not Template.objects.exists()


def test_by_the_api_it_is_made_replaced_applied_and_forgotten(
    technician: APIClient, viewer: APIClient, lamp: Template
) -> None:
    body = {"name": "lamp", "device": named(HALL).id, "paths": PATHS[:1]}
    assert viewer.post("/api/templates", body, format="json").status_code == 403
    assert technician.post(f"/api/templates/{lamp.id}/apply", {"devices": [DECK]}, format="json").status_code == 200
    made = technician.post("/api/templates", body, format="json").json()
    assert (made["id"], [one["called"] for one in made["values"]]) == (lamp.id, ["Relay 1 action"])
    assert [use["name"] for use in made["uses"]] == [DECK], "where it was applied is kept"
    reader = Device.objects.create(name="Reader", profile="dunmarrow-dr2", taken_in=True)
    other = {"name": "Lamp", "device": reader.id, "paths": [], "values": {"/lamp/level": 50}}
    assert technician.post("/api/templates", other, format="json").status_code == 409
    [told] = viewer.get("/api/templates").json()["templates"]
    assert told["name"] == "Lamp"
    assert technician.delete(f"/api/templates/{lamp.id}").status_code == 204
    assert technician.post(f"/api/templates/{lamp.id}/apply", {"devices": [DECK]}, format="json").status_code == 404
    assert get(named(DECK).intended, "/relays/1/action") == "pulse", "what was decided stays"
