"""What each role may do. A view names the role its writing calls need; reading needs any."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

from netloom_server.accounts.models import Role

if TYPE_CHECKING:
    from rest_framework.views import APIView

RANK: dict[str, int] = {Role.VIEWER: 0, Role.TECHNICIAN: 1, Role.LEAD: 2}


def has_role(user: object, role: str) -> bool:
    return RANK.get(getattr(user, "role", ""), -1) >= RANK[role]


class ByRole(BasePermission):
    message = "Your role does not allow this."

    def has_permission(self, request: Request, view: APIView) -> bool:
        if not request.user or not request.user.is_authenticated:
            return False
        needed = Role.VIEWER if request.method in SAFE_METHODS else getattr(view, "write_role", Role.TECHNICIAN)
        return has_role(request.user, getattr(view, "read_role", needed) if request.method in SAFE_METHODS else needed)
