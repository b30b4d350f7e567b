"""Lines: adding, editing, their methods and access; the serial ports of this computer."""

from __future__ import annotations

import os

from django.conf import settings
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.addressing.conflicts import free_addresses
from netloom_core.links import interfaces
from netloom_core.links.ports import all_ports, holder_of
from netloom_core.model.line import MAX_HOSTS
from netloom_server.accounts.models import Role
from netloom_server.accounts.permissions import has_role
from netloom_server.base.forms import checked
from netloom_server.base.problems import Conflict, NoRight, NotFound
from netloom_server.host.engine import engine
from netloom_server.installation.api import shapes
from netloom_server.installation.api import survey_shapes as survey
from netloom_server.installation.models import Line
from netloom_server.installation.services import access, decisions, lines, present

FREE_SHOWN = 64


def find_line(word: str) -> Line:
    line = Line.objects.filter(id=word).first() or Line.objects.filter(name__iexact=word).first()
    if line is None:
        raise NotFound(f"There is no line {word[:80]!r}.", "`netloom lines` lists them.")
    return line


def line_in_use(word: str) -> Line:
    """One on which something may go out. Raises Conflict for one that is archived."""
    return lines.in_use(find_line(word))


def _unused(word: str) -> Line:
    """The line, while nobody talks on it. Raises Conflict."""
    line = find_line(word)
    if holder := engine().owners.holder(line.id):
        raise Conflict(f"{holder} has {line.name} now.", "Wait for it, or close the console. Nothing was changed.")
    return line


def shown(line: Line) -> dict[str, object]:
    return present.line_as_dict(line, engine().owners.holder(line.id), engine().library)


class LinesView(APIView):
    @extend_schema(responses=shapes.LineSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response([shown(line) for line in present.in_order(Line.objects.select_related("parent", "access"))])

    @extend_schema(request=shapes.NewLineSerializer, responses={201: shapes.LineSerializer})
    def post(self, request: Request) -> Response:
        data = checked(shapes.NewLineSerializer, request)
        line = lines.new_ip(data) if data["kind"] == "ip" else lines.new_serial(data)
        lines.check_name(line)
        line.save()
        engine().events.put("lines", {"line": line.id})
        return Response(shown(line), 201)


class LineView(APIView):
    @extend_schema(responses=shapes.LineSerializer)
    def get(self, request: Request, ident: str) -> Response:
        return Response(shown(find_line(ident)))

    @extend_schema(request=survey.EditLineSerializer, responses=shapes.LineSerializer)
    def patch(self, request: Request, ident: str) -> Response:
        """Rename it, switch methods, give it another port, speed or parity; archive it or bring it back."""
        data = checked(survey.EditLineSerializer, request)
        if "archived" in data:
            self._archive(request, ident, data.pop("archived"))
        port = lines.PORT & data.keys()
        line = _unused(ident) if port else find_line(ident)
        if data:
            lines.edit(line, data, engine().library)
        if port:
            engine().release(line.id)
        engine().events.put("lines", {"line": line.id})
        return Response(shown(line))

    def _archive(self, request: Request, ident: str, away: bool) -> None:
        if not has_role(request.user, Role.LEAD):
            raise NoRight("Only a lead archives lines.", "Ask a lead.")
        line = _unused(ident)
        if away and line.archived is None:
            lines.archive(line)
            engine().release(line.id)
        elif not away:
            lines.bring_back(line)
        engine().events.put("devices", {})

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        if not has_role(request.user, Role.LEAD):
            raise NoRight("Only a lead removes lines.", "Ask a lead.")
        line = _unused(ident)
        ident = line.id
        lines.remove(line)
        engine().release(ident)
        engine().events.put("lines", {"line": ident})
        return Response(status=204)


class LineOrderView(APIView):
    @extend_schema(request=survey.LineOrderSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        """In which order the lines stand on the loom, for everybody."""
        lines.put_in_order(checked(survey.LineOrderSerializer, request)["lines"])
        engine().events.put("lines", {"line": ""})
        return Response(status=204)


class MergeLineView(APIView):
    @extend_schema(request=survey.MergeLineSerializer, responses=shapes.LineSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """All that is known of it goes to another line of its kind, and it is gone."""
        if not has_role(request.user, Role.LEAD):
            raise NoRight("Only a lead merges lines.", "Ask a lead.")
        into = find_line(checked(survey.MergeLineSerializer, request)["into"])
        line = _unused(ident)
        gone = line.id
        lines.merge(line, into)
        engine().release(gone)
        engine().events.put("lines", {"line": into.id})
        engine().events.put("devices", {})
        return Response(shown(into))


class LineAccessView(APIView):
    @extend_schema(request=survey.AccessSerializer, responses={204: None})
    def put(self, request: Request, ident: str) -> Response:
        """How sweeps may ask on this line, by SNMP and ONVIF. It can be replaced, never read."""
        line = find_line(ident)
        data = checked(survey.AccessSerializer, request)
        logins = {kind: [dict(o) if isinstance(o, dict) else o for o in given] for kind, given in data.items()}
        access.keep(line, **logins)
        engine().events.put("lines", {"line": line.id})
        return Response(status=204)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        """Back to the usual community and no logins."""
        line = find_line(ident)
        access.forget(line)
        engine().events.put("lines", {"line": line.id})
        return Response(status=204)


class PortsView(APIView):
    @extend_schema(responses=survey.PortSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The serial ports of this computer now, with the line that uses each and who else has it open."""
        ports = all_ports(settings.DATA / "ports")
        lines = {os.path.realpath(line.path): line.name for line in Line.objects.filter(kind="serial", archived=None)}
        return Response(
            [
                {**port.as_dict(), "line": lines.get(os.path.realpath(port.path), ""), "held": holder_of(port.path)}
                for port in ports
            ]
        )


class HereView(APIView):
    @extend_schema(responses=survey.HereSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Networks that this computer is in now, with the line that is one of them; its loopback is left out."""
        lines = {line.network: line.name for line in Line.objects.filter(kind="ip", archived=None)}
        return Response(
            [
                {
                    "interface": one.name,
                    "address": one.address,
                    "network": str(one.network),
                    "link": one.link,
                    "line": lines.get(str(one.network), ""),
                    "large": one.network.num_addresses > MAX_HOSTS,
                }
                for one in interfaces.all_interfaces()
                if not interfaces.is_loopback(one.address)
            ]
        )


class FreeAddressesView(APIView):
    @extend_schema(parameters=[OpenApiParameter("after", str)], responses=shapes.FreeSerializer)
    def get(self, request: Request, ident: str) -> Response:
        line = find_line(ident)
        taken = [holder.address for holder in decisions.holders(engine().library, line)]
        after = request.query_params.get("after", "")
        return Response({"addresses": free_addresses(line.as_core(), taken, after)[:FREE_SHOWN]})
