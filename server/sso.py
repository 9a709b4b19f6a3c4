"""Who gets an account by the organisation's own log-in: only whom the settings name."""

from __future__ import annotations

from typing import Any

from allauth.socialaccount.adapter import (  # type: ignore[import-untyped]
    DefaultSocialAccountAdapter,
)
from django.http import HttpRequest

from server.addresses import verify
from server.claims import claims_of, is_verified, may_have_account
from server.workshop.audit import write_down


class NamedOnly(DefaultSocialAccountAdapter):
    """New accounts for the mail domains and groups that the settings name, and for nobody else."""

    def is_open_for_signup(self, request: HttpRequest, sociallogin: Any) -> bool:
        """Whether somebody who has no account yet gets one."""
        claims = claims_of(sociallogin.account.extra_data)
        open_for = may_have_account(claims)
        who = str(claims.get("email") or claims.get("sub") or "")
        write_down("account", request, who=who, about=who, done="made" if open_for else "refused")
        return open_for

    def save_user(self, request: HttpRequest, sociallogin: Any, form: Any = None) -> Any:
        """Make the account; an address that the issuer has verified counts."""
        person = super().save_user(request, sociallogin, form)
        claims = claims_of(sociallogin.account.extra_data)
        if person.email and is_verified(claims):
            verify(person, person.email)
        return person
