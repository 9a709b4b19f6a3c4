"""What an organisation's own log-in says of somebody, and whether that gets them an account."""

from __future__ import annotations

from typing import Any

from django.conf import settings


def claims_of(told: dict[str, Any]) -> dict[str, Any]:
    """What the issuer says of somebody: of its two answers both."""
    parts = [told.get(name) for name in ("id_token", "userinfo")]
    inner = [part for part in parts if isinstance(part, dict)]
    claims: dict[str, Any] = {}
    for part in inner or [told]:
        claims |= part
    return claims


def is_verified(claims: dict[str, Any]) -> bool:
    """Whether the issuer has verified somebody's mail address. Source: OpenID Connect Core 1.0,
    5.1: `email` counts only with `email_verified`."""
    return claims.get("email_verified") in (True, "true")


def may_have_account(claims: dict[str, Any]) -> bool:
    """Whether the settings name the domain of somebody's verified mail address, or one of their
    groups."""
    domain = str(claims.get("email", "")).rpartition("@")[2].lower()
    groups = claims.get(settings.SSO_GROUPS_CLAIM) or []
    groups = [groups] if isinstance(groups, str) else groups
    in_domain = bool(domain) and is_verified(claims) and domain in settings.SSO_DOMAINS
    return in_domain or any(str(group) in settings.SSO_GROUPS for group in groups)
