"""What leaves against what the project allows."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.base.errors import EktoposError
from ektopos.checks.registry import Examined, Finding, Number, Remedy, check, finding
from ektopos.edits import SetSetting
from ektopos.export.plan import Plan, make_plan


def _plan(examined: Examined) -> Plan | None:
    """What the target would get; `None` where it cannot be planned, which other checks say."""
    try:
        return make_plan(examined.project.document, examined.profile, examined.headers.__getitem__)
    except (EktoposError, KeyError):
        return None


@check
def sizes_and_budget(examined: Examined) -> Iterator[Finding]:
    """Files that leave larger than the project allows, one by one and all together."""
    rules = examined.project.document.rules
    budget = examined.profile.budget
    if rules.largest_size is None and rules.memory_mb is None and budget is None:
        return
    plan = _plan(examined)
    if plan is None:
        return
    largest = rules.largest_size
    too_large: dict[str, tuple[int, str]] = {}
    for file in plan.files:
        if largest is not None and max(file.width, file.height) > largest:
            for material in file.materials:
                side = max(file.width, file.height)
                too_large[material] = max(too_large.get(material, (0, "")), (side, file.path))
    for material, (side, path) in too_large.items():
        yield finding(
            "larger-than-rule",
            f"material {material}",
            f"{path} leaves {side} texels long; the project allows {largest}.",
            numbers=(Number("longest side", f"{side}", f"{largest} is the rule"),),
            remedy=Remedy(
                f"Limit to {largest}",
                f"Limits the material’s maps to {largest} texels on export. The files stay "
                "as they are.",
                [SetSetting(material=material, setting="size_limit", value=largest)],
            ),
        )
    for allowed, sizes, whose, how in (
        (rules.memory_mb, [f.compressed for f in plan.files], "the project", "block-compressed"),
        (budget, [f.memory for f in plan.files], "the target", "uncompressed"),
    ):
        held = sum(sizes) / 1e6
        if allowed is None or held <= allowed:
            continue
        worst = sorted(zip(sizes, plan.files, strict=True), key=lambda pair: -pair[0])[:3]
        yield finding(
            "memory-over-budget",
            "project",
            f"Its maps take {held:,.1f} MB in the engine, {how}; {whose} allows {allowed:g}.",
            numbers=(
                Number(f"in all, {how}", f"{held:,.1f} MB", f"{allowed:g} MB is the rule"),
                *(Number(file.path, f"{size / 1e6:,.1f} MB") for size, file in worst),
            ),
        )
