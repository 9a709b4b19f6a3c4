"""Where an input leaves in a target, for the feed sheet."""

from __future__ import annotations

from ektopos.document import InputName
from ektopos.materials.derive import Material
from ektopos.materials.sheet import Leaves
from ektopos.targets.plan import Plan
from ektopos.targets.profile import Profile


def leaves(
    plan: Plan | None, problem: str, material: Material, name: InputName, profile: Profile
) -> Leaves:
    """The file and channels that an input leaves in; `problem` says why there is no plan."""
    if name not in material.feeds:
        return Leaves(words="not written")
    if not profile.carries(name, not material.feeds[name].maps()):
        return Leaves(words="not carried", carried=False)
    if plan is None:
        return Leaves(words="no plan yet", problem=problem)
    path = plan.file_of.get((material.name, name))
    if path is not None:
        file = next(f for f in plan.files if f.path == path)
        holding = {
            letter: channel
            for letter, channel in file.channels.items()
            if channel.carries and channel.input == name
        }
        return Leaves(
            file=path.rpartition("/")[2],
            channels="".join(holding),
            words=file.suffix,
            quantity=next((channel.quantity for channel in holding.values()), ""),
        )
    if name == "opacity" and material.alpha_mode == "opaque":
        return Leaves(words="not written")
    return Leaves(words="as a number" if name in material.origin else "not written")
