"""All addresses of the server."""

from __future__ import annotations

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import csrf_exempt, ensure_csrf_cookie

from netloom_server.accounts.api import people, session
from netloom_server.backups.api import backups
from netloom_server.base import problems
from netloom_server.consoles.api import consoles
from netloom_server.firmware.api import firmware
from netloom_server.installation.api import (
    areas,
    codes,
    feeds,
    fences,
    history,
    joining,
    labels,
    levels,
    lines,
    logins,
    monitor,
    places,
    profiles,
    sheets,
    survey,
    templates,
    traffic,
    universes,
)
from netloom_server.installation.api import devices as installation
from netloom_server.papers.api import papers
from netloom_server.routing.api import presets as routed
from netloom_server.routing.api import routing
from netloom_server.runs.api import events, journal, runs, watched

handler400 = "netloom_server.base.problems.bad_request"
handler403 = "netloom_server.base.problems.forbidden"
handler404 = "netloom_server.base.problems.not_found"
handler500 = "netloom_server.base.problems.failed"


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse | FileResponse:
    """The one page of the interface; deep links lead here, too."""
    index = settings.WEB_DIST / "index.html"
    if not index.exists():
        return HttpResponse(
            "The interface is not built. Run `./netloom serve`, which builds it.", status=503, content_type="text/plain"
        )
    response = FileResponse(index.open("rb"), content_type="text/html")
    response["Cache-Control"] = "no-cache"
    return response


urlpatterns = [
    path("signin/<str:token>", session.sign_in_link),
    path("api/session", session.SessionView.as_view()),
    path("api/session/password", session.PasswordView.as_view()),
    path("api/session/second-factor", session.SecondFactorView.as_view()),
    path("api/session/tokens", session.TokensView.as_view()),
    path("api/session/tokens/<int:pk>", session.TokenView.as_view()),
    path("api/health", watched.alive),
    path("api/ready", watched.ready),
    path("api/metrics", watched.MetricsView.as_view()),
    path("api/people", people.PeopleView.as_view()),
    path("api/people/<int:pk>", people.PersonView.as_view()),
    path("api/people/<int:pk>/sessions", people.SessionsView.as_view()),
    path("api/people/<str:username>/link", people.LinkView.as_view()),
    path("api/overview", installation.OverviewView.as_view()),
    path("api/profiles", profiles.ProfilesView.as_view()),
    path("api/profiles/check", profiles.ProfileCheckView.as_view()),
    path("api/profiles/try", profiles.ProfileTryView.as_view()),
    path("api/profiles/<str:ident>", profiles.ProfileView.as_view()),
    path("api/areas", areas.AreasView.as_view()),
    path("api/areas/<int:pk>", areas.AreaView.as_view()),
    path("api/areas/<int:pk>/merge", areas.MergeAreaView.as_view()),
    path("api/lines", lines.LinesView.as_view()),
    path("api/lines/order", lines.LineOrderView.as_view()),
    path("api/lines/<str:ident>", lines.LineView.as_view()),
    path("api/lines/<str:ident>/merge", lines.MergeLineView.as_view()),
    path("api/lines/<str:ident>/access", lines.LineAccessView.as_view()),
    path("api/lines/<str:ident>/rules", places.RulesView.as_view()),
    path("api/lines/<str:ident>/giving", places.GivingView.as_view()),
    path("api/lines/<str:ident>/giving/accept", places.AcceptView.as_view()),
    path("api/lines/<str:ident>/second-address", places.SecondAddressView.as_view()),
    path("api/lines/<str:ident>/queue", places.QueueView.as_view()),
    path("api/lines/<str:ident>/universes", universes.UniversesView.as_view()),
    path("api/lines/<str:ident>/levels", levels.LevelsView.as_view()),
    path("api/firmware", firmware.FirmwareView.as_view()),
    path("api/firmware/import/<str:name>", firmware.FirmwareImportView.as_view()),
    path("api/firmware/devices", firmware.DevicesFirmwareView.as_view()),
    path("api/firmware/models/<str:profile>", firmware.ModelFirmwareView.as_view()),
    path("api/firmware/<str:ident>", firmware.FirmwareFileView.as_view()),
    path("api/devices/<str:word>/aside/<str:ident>", firmware.AsideView.as_view()),
    path("api/devices/<str:word>/firmware", firmware.DeviceFirmwareView.as_view()),
    path("api/lines/<str:ident>/traffic", traffic.TrafficView.as_view()),
    path("api/devices/<str:word>/feed", feeds.FeedView.as_view()),
    path("api/lines/<str:ident>/raise", levels.RaiseView.as_view()),
    path("api/lines/<str:ident>/raise/end", levels.EndRaiseView.as_view()),
    path("api/lines/<str:ident>/universes/port", universes.PortView.as_view()),
    path("api/lines/<str:ident>/patch/<str:name>", universes.SheetView.as_view()),
    path("api/universes/propose", universes.ProposeView.as_view()),
    path("api/universes/decide", universes.DecideView.as_view()),
    path("api/places/propose", places.ProposeView.as_view()),
    path("api/places/decide", places.DecideView.as_view()),
    path("api/places/troubles", places.TroublesView.as_view()),
    path("api/places/table/<str:name>", places.TableView.as_view()),
    path("api/lines/<str:ident>/free", lines.FreeAddressesView.as_view()),
    path("api/ports", lines.PortsView.as_view()),
    path("api/here", lines.HereView.as_view()),
    path("api/why", survey.WhyView.as_view()),
    path("api/find", survey.FindView.as_view()),
    path("api/expected", survey.ExpectedView.as_view()),
    path("api/expected/<str:name>", survey.ExpectedFileView.as_view()),
    path("api/watch-mode", survey.WatchModeView.as_view()),
    path("api/changes", survey.ChangesView.as_view()),
    path("api/devices", installation.DevicesView.as_view()),
    path("api/take-in", installation.TakeInView.as_view()),
    path("api/intended", installation.IntendedView.as_view()),
    path("api/addresses", installation.AddressesView.as_view()),
    path("api/devices/<str:word>", installation.DeviceView.as_view()),
    path("api/devices/<str:word>/join", survey.JoinView.as_view()),
    path("api/devices/<str:word>/part", survey.PartView.as_view()),
    path("api/templates", templates.TemplatesView.as_view()),
    path("api/templates/<str:ident>", templates.TemplateView.as_view()),
    path("api/templates/<str:ident>/apply", templates.ApplyTemplateView.as_view()),
    path("api/codes", codes.NewCodesView.as_view()),
    path("api/devices/<str:word>/code", codes.CodeView.as_view()),
    path("api/devices/<str:word>/fences", fences.FencesView.as_view()),
    path("api/devices/<str:word>/fences/<str:ident>", fences.FenceView.as_view()),
    path("api/monitor", monitor.MonitorView.as_view()),
    path("api/monitor/points.csv", monitor.EdgesFileView.as_view()),
    path("api/monitor/<str:ident>", monitor.MonitoredView.as_view()),
    path("api/devices/<str:word>/label", labels.LabelView.as_view()),
    path("api/devices/<str:word>/same", labels.SameThingView.as_view()),
    path("api/labels/<str:ident>", labels.LabelPlaceView.as_view()),
    path("api/devices/<str:word>/history", history.HistoryView.as_view()),
    path("api/devices/<str:word>/joins", joining.JoiningView.as_view()),
    path("api/settings/sheet", sheets.SheetView.as_view()),
    path("api/settings/table/<str:name>", sheets.SettingsTableView.as_view()),
    path("api/logins", logins.SharedLoginsView.as_view()),
    path("api/logins/<str:ident>", logins.SharedLoginView.as_view()),
    path("api/devices/<str:word>/credentials", logins.CredentialView.as_view()),
    path("api/devices/<str:word>/lights", survey.LightsView.as_view()),
    path("api/devices/<str:word>/certificate", installation.CertificateView.as_view()),
    path("api/devices/<str:word>/drive", installation.DriveView.as_view()),
    path("api/devices/<str:word>/let-go", installation.LetGoView.as_view()),
    path("api/watch", installation.WatchManyView.as_view()),
    path("api/devices/<str:word>/watch", installation.WatchView.as_view()),
    path("api/routing/paths", routing.PathsView.as_view()),
    path("api/routing/jacks", routing.JacksView.as_view()),
    path("api/routing/cables", routing.CablesView.as_view()),
    path("api/routing/cables/<str:ident>", routing.CableView.as_view()),
    path("api/routing/cables/<str:ident>/prove", routing.ProveCableView.as_view()),
    path("api/routing/behind", routing.BehindView.as_view()),
    path("api/routing/take", routing.TakeView.as_view()),
    path("api/routing/grids/<str:word>", routing.GridsView.as_view()),
    path("api/routing/presets", routed.PresetsView.as_view()),
    path("api/routing/presets/<str:ident>", routed.PresetView.as_view()),
    path("api/routing/presets/<str:ident>/recall", routed.RecallView.as_view()),
    path("api/routing/locks", routed.LocksView.as_view()),
    path("api/routing/locks/<str:ident>", routed.LockView.as_view()),
    path("api/routing/edids", routed.EdidsView.as_view()),
    path("api/routing/edids/read", routed.ReadEdidView.as_view()),
    path("api/routing/edids/at/<str:word>", routed.EdidsAtView.as_view()),
    path("api/routing/edids/<str:ident>", routed.EdidView.as_view()),
    path("api/consoles", consoles.ConsolesView.as_view()),
    path("api/consoles/<str:ident>", consoles.ConsoleView.as_view()),
    path("api/consoles/<str:ident>/break", consoles.BreakView.as_view()),
    path("api/consoles/<str:ident>/log", consoles.LogView.as_view()),
    path("api/consoles/<str:ident>/stream", consoles.stream),
    path("api/plans", runs.PlansView.as_view()),
    path("api/plans/<str:ident>", runs.PlanView.as_view()),
    path("api/plans/<str:ident>/rehearse", runs.RehearsalView.as_view()),
    path("api/runs", runs.RunsView.as_view()),
    path("api/runs/<str:ident>", runs.RunView.as_view()),
    path("api/runs/<str:ident>/steps", runs.StepsView.as_view()),
    path("api/runs/<str:ident>/cancel", runs.CancelView.as_view()),
    path("api/runs/<str:ident>/answer", runs.AnswerView.as_view()),
    path("api/journal", journal.JournalView.as_view()),
    path("api/journal/accept", journal.AcceptView.as_view()),
    path("api/events", events.events),
    path("api/backups", backups.BackupsView.as_view()),
    path("api/backups/compare", backups.CompareView.as_view()),
    path("api/backups/import/<str:name>", backups.ImportView.as_view()),
    path("api/backups/check/<str:name>", backups.CheckView.as_view()),
    path("api/backups/<str:ident>", backups.BackupView.as_view()),
    path("api/papers", papers.PapersView.as_view()),
    path("api/papers/<str:ident>", papers.PaperView.as_view()),
    path("api/papers/<str:ident>/file", papers.PaperFileView.as_view()),
    path("api/<path:rest>", csrf_exempt(problems.not_found)),
    re_path(r"^(?!api/|static/).*$", page),
]
