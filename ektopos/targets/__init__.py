"""Targets: what an engine wants, and the package that gives it that.

`profile` reads a target's rules, `plan` says which files hold which inputs before anything is
written, `differences` what does not leave as it was made, `packing` makes their texels, `export`
writes a package all or nothing. Whether it arrived is `ektopos.trial`, which shares no code with
this room but the profile.
"""

from ektopos.targets.differences import converted, left_out
from ektopos.targets.estimate import estimated_bytes
from ektopos.targets.export import Export, ExportedFile, bring_back, export_package
from ektopos.targets.plan import Plan, PlannedFile, make_plan
from ektopos.targets.profile import Profile, built_in_profiles, load_profile

__all__ = [
    "Export",
    "ExportedFile",
    "Plan",
    "PlannedFile",
    "Profile",
    "bring_back",
    "built_in_profiles",
    "converted",
    "estimated_bytes",
    "export_package",
    "left_out",
    "load_profile",
    "make_plan",
]
