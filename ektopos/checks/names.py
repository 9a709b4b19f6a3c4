"""Names that are taken for one, or that are not as the project names things."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from fnmatch import fnmatchcase

from ektopos.checks.registry import Examined, Finding, check, found


@check
def names(examined: Examined) -> Iterator[Finding]:
    """Materials that are alike but for their case, or do not fit the project's pattern."""
    document = examined.project.document
    alike: dict[str, list[str]] = defaultdict(list)
    for name in document.materials:
        alike[name.casefold()].append(name)
        pattern = document.rules.material_names
        if pattern is not None and not fnmatchcase(name, pattern):
            yield found("name-off-rule", f"material {name}", f"It is not named like {pattern}.")
    for group in alike.values():
        for name in group[1:]:
            yield found(
                "names-alike", f"material {name}", f"{group[0]} is called the same but for case."
            )
