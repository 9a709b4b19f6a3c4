"""Names that are taken for one, or that are not as the project names things."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator
from fnmatch import fnmatchcase

from ektopos.checks.registry import Examined, Finding, Remedy, check, finding
from ektopos.edits import RenameMaterial


@check
def names(examined: Examined) -> Iterator[Finding]:
    """Materials that are alike but for their case, or do not fit the project's pattern."""
    document = examined.project.document
    alike: dict[str, list[str]] = defaultdict(list)
    for name in document.materials:
        alike[name.casefold()].append(name)
        pattern = document.rules.material_names
        if pattern is not None and not fnmatchcase(name, pattern):
            yield finding(
                "name-off-rule",
                f"material {name}",
                f"It is not named like {pattern}.",
                remedy=_renamed(name, pattern, document.materials),
            )
    for group in alike.values():
        for name in group[1:]:
            yield finding(
                "names-alike", f"material {name}", f"{group[0]} is called the same but for case."
            )


def _renamed(name: str, pattern: str, taken: Collection[str]) -> Remedy | None:
    """A name that fits a pattern with one `*` at its begin or end; `None` for any other, or where
    another material has it."""
    if pattern.count("*") != 1 or set(pattern) & set("?[]"):
        return None
    first, last = pattern.split("*")
    if first and last:
        return None
    fitting = f"{first}{name}{last}"
    if fitting in taken:
        return None
    return Remedy(
        "Rename",
        f"Renames it to {fitting}; slots and derived materials follow.",
        [RenameMaterial(material=name, name=fitting)],
    )
