"""`targets`: list the targets and their rules."""

from __future__ import annotations

import argparse

from ektopos.cli.answers import FINE, Outcome

HELP = "List the targets and their rules."


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """It has none."""


def run(options: argparse.Namespace) -> Outcome:
    """Run the command."""
    from ektopos.export.profile import built_in_profiles

    profiles = list(built_in_profiles().values())
    entries = [
        {"id": p.id, "title": p.title, "rules": p.model_dump(mode="json", by_alias=True)}
        for p in profiles
    ]
    return (
        entries,
        FINE,
        [f"{profile.id}: {profile.title}. {profile.summary}" for profile in profiles],
    )
