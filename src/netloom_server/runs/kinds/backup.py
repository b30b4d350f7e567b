"""Back devices up; only a lead approves."""

from __future__ import annotations

from netloom_server.accounts.models import Role
from netloom_server.accounts.permissions import has_role
from netloom_server.base.problems import NoRight
from netloom_server.runs.kinds.base import Asked, steps_on
from netloom_server.runs.kinds.read import readable
from netloom_server.runs.models import Run
from netloom_server.runs.services.runs import create_run


class Backup:
    name = "backup"

    def begin(self, asked: Asked) -> Run:
        baseline = asked.data["baseline"]
        if baseline and not has_role(asked.request.user, Role.LEAD):
            raise NoRight("Only a lead approves a baseline.", "Back up without --baseline, or ask a lead.")
        steps = steps_on(readable(asked, found_only=True), "backup", baseline=baseline)
        return create_run(self.name, asked.by, {"baseline": baseline}, steps)
