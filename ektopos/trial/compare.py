"""Compare what arrived with what was meant: every slot, every input, every texel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np

from ektopos.document import COLOUR_INPUTS, EXTRA_INPUTS, UNIT_INPUTS, Document, InputName
from ektopos.images import linear_to_srgb, resize
from ektopos.materials.adjust import UNCLIPPED, apply_strength, normalise
from ektopos.materials.convert import to_specular_gloss
from ektopos.materials.derive import Material, effective
from ektopos.materials.resolve import MapLoader, resolve_feed
from ektopos.project import Project, load_mesh
from ektopos.shading import Look
from ektopos.targets.profile import Profile
from ektopos.trial.causes import MESSAGES, Cause, explain
from ektopos.trial.compression import block_compressed
from ektopos.trial.importer import INPUTS, Arrival, ArrivedInput, ArrivedMaterial, import_package, linear_channels
from ektopos.trial.renders import VIEWS, Rendered, arrived_look, compare_mesh, meant_look
from ektopos.types import Float, Progress, no_progress

Verdict = Literal["same", "close", "differs", "lost", "unsupported"]
SETTINGS = "settings"
COMPARED = 0.7
"""Share of a trial that comparing takes; rendering is the rest."""
TOLERANCE = {"8-bit steps": (0.02, 1.0), "degrees": (0.05, 1.0), "units": (1e-4, 1 / 255)}
"""Largest error that counts as the same and as close, by the unit it is measured in."""
WITHIN = {"8-bit steps": "Within one 8-bit step.", "degrees": "Within one degree.", "units": "Within 1/255."}
PICTURE = 256
"""Longest side of the small pictures kept for the screen."""

Keep = Callable[[str, str, dict[str, Float]], None]
"""Given a material, an input and its small pictures (`meant`, `arrived`, `difference`), all 0–1 as they are stored."""


@dataclass(frozen=True)
class Cell:
    """The verdict on one input of one slot."""

    mesh: str
    slot: str
    material: str | None
    input: str
    verdict: Verdict
    max_error: float | None = None
    mean_error: float | None = None
    unit: str | None = None
    cause: Cause | None = None
    message: str = ""
    differing: float | None = None
    """Share of texels outside the tolerance, 0–1."""


@dataclass(frozen=True)
class Trial:
    """What a trial found."""

    target: str
    passed: bool
    cells: list[Cell]
    renders: list[Rendered] = field(default_factory=list)


def run_trial(
    project: Project, package: Path, profile: Profile, progress: Progress = no_progress, keep: Keep | None = None,
    *, renders: bool = True,
) -> Trial:  # fmt: skip
    """Import the package and judge it against the project. Raises `EktoposError` if the project itself is broken."""
    document = project.document
    progress(0.0, "importing the package")
    arrival = import_package(package, profile)
    loader = MapLoader(project)
    cells: list[Cell] = []
    judged: dict[tuple[str, str], list[Cell]] = {}
    slots = [(m, s, worn) for m, entry in document.meshes.items() for s, worn in _slots(project, m, entry.slots).items()]
    for done, (mesh, slot, meant) in enumerate(slots):
        progress(0.05 + (COMPARED - 0.05) * done / max(1, len(slots)), f"comparing {mesh} · {slot}")
        blank = [Cell(mesh, slot, meant, name, "same") for name in (*INPUTS, SETTINGS)]
        fault = _slot_fault(arrival, mesh, slot, meant)
        if fault is not None:
            verdict, cause, message = fault
            cells += [replace(cell, verdict=verdict, cause=cause, message=message) for cell in blank]
            continue
        worn = arrival.slots.get(mesh, {}).get(slot)
        if meant is None or worn is None:
            cells += [replace(cell, message="No material is meant here, and none arrived.") for cell in blank]
            continue
        if (meant, worn) not in judged:
            judged[meant, worn] = judge_material(loader, document, profile, meant, arrival.materials[worn], keep)
            again = arrival.second.get(worn)
            if again is not None and _signature(again) != _signature(arrival.materials[worn]):
                other = judge_material(loader, document, profile, meant, again, keep)
                judged[meant, worn] = [max(pair, key=_badness) for pair in zip(judged[meant, worn], other, strict=True)]
        cells += [replace(cell, mesh=mesh, slot=slot) for cell in judged[meant, worn]]
    if arrival.problem and not cells:
        cells = [Cell("", "", None, SETTINGS, "lost", cause=arrival.problem, message=arrival.message)]
    passed = all(cell.verdict in ("same", "close", "unsupported") for cell in cells)
    drawn = _renders(project, loader, arrival, progress, keep) if renders and not arrival.problem else []
    return Trial(profile.id, passed, cells, drawn)


def _renders(project: Project, loader: MapLoader, arrival: Arrival, progress: Progress, keep: Keep | None) -> list[Rendered]:
    """Every mesh from several sides, as it was meant and as it arrived."""
    document = project.document
    meant: dict[str, Look] = {}
    arrived: dict[str, Look] = {}
    found = []
    for done, (name, entry) in enumerate(document.meshes.items()):
        progress(COMPARED + (1 - COMPARED) * done / len(document.meshes), f"rendering {name}")
        came = arrival.slots.get(name, {})
        for worn in {worn for worn in entry.slots.values() if worn is not None} - set(meant):
            meant[worn] = meant_look(loader, effective(document, worn))
        for worn in {worn for worn in came.values() if worn is not None} - set(arrived):
            arrived[worn] = arrived_look(arrival.materials[worn], _arrived_values)
        on_meant = {slot: meant[worn] for slot, worn in entry.slots.items() if worn is not None}
        on_arrived = {slot: arrived[worn] for slot, worn in came.items() if worn is not None}
        mesh = load_mesh(project, name)
        for view in VIEWS:
            rendered, pictures = compare_mesh(name, mesh, on_meant, on_arrived, view)
            found.append(rendered)
            if keep is not None:
                keep(name, f"render {view}", pictures)
    return found


def _signature(material: ArrivedMaterial) -> object:
    """All of a material but its texels, to tell whether two readings of a package agree."""
    inputs = {name: replace(i, texture=None) for name, i in material.inputs.items()}
    return replace(material, inputs=inputs), {
        name: i.texture.path if i.texture else None for name, i in material.inputs.items()
    }


def _badness(cell: Cell) -> int:
    return ("same", "close", "unsupported", "lost", "differs").index(cell.verdict)


def judge_material(
    loader: MapLoader, document: Document, profile: Profile, name: str, arrived: ArrivedMaterial, keep: Keep | None
) -> list[Cell]:
    """The eight cells of one material, and one for every input beyond the seven that feeds it."""
    material = effective(document, name)
    loader.prefetch(used for feed in material.feeds.values() for used in sorted(feed.maps()))
    cells = []
    for input_name in INPUTS:
        cell = Cell("", "", name, input_name, "same")
        if input_name == "opacity":
            changed = _alpha_fault(material, arrived)
            if changed or material.alpha_mode == "opaque":
                cells.append(replace(cell, **(changed or {"message": "Opaque, as it was meant."})))
                continue
        judged = _judge_input(loader, profile, material, cell, arrived.inputs[input_name], keep)
        if profile.importing.compression == "blocks":
            judged = _with_compression(loader, material, judged, arrived.inputs[input_name])
        cells.append(judged)
    cells.append(_judge_settings(Cell("", "", name, SETTINGS, "same"), material, arrived))
    for extra in EXTRA_INPUTS:
        if extra not in material.feeds:
            continue
        cell = Cell(
            "", "", name, extra, "unsupported", cause="not-carried-by-target", message=MESSAGES["not-carried-by-target"]
        )
        if profile.carries(extra, not material.feeds[extra].maps()):
            blank = Cell("", "", name, extra, "same")
            cell = _judge_input(loader, profile, material, blank, arrived.inputs[extra], keep)
        cells.append(cell)
    return cells


def _judge_input(
    loader: MapLoader, profile: Profile, material: Material, cell: Cell, arrived: ArrivedInput, keep: Keep | None
) -> Cell:
    """The verdict on an input; where several channels should hold the same, on the worst of them."""
    judged = _judge_channel(loader, profile, material, cell, arrived, keep)
    copies = [
        _judge_channel(loader, profile, material, cell, replace(arrived, channels=letter), None) for letter in arrived.copies
    ]
    return max((judged, *copies), key=_badness)


def _judge_channel(
    loader: MapLoader, profile: Profile, material: Material, cell: Cell, arrived: ArrivedInput, keep: Keep | None
) -> Cell:
    name: InputName = cell.input  # type: ignore[assignment]
    feed = material.feeds[name]
    texture = arrived.texture
    meant = _meant(loader, material, name, arrived.quantity)
    if texture is not None and texture.problem is not None and feed.maps():
        said = f"{texture.path}: {MESSAGES[texture.problem]}"
        return replace(cell, verdict="lost", cause=texture.problem, message=said)
    came = _arrived_values(arrived, name)
    # Diffuse and specular are judged as themselves: solving them back would blow up their rounding.
    name = "base_color" if arrived.quantity in ("diffuse", "specular") else name
    if came.shape[:2] != (1, 1):
        meant_here = _at_size(meant, name, came.shape[1], came.shape[0])
    else:
        meant_here = meant
        came = _at_size(came, name, meant.shape[1], meant.shape[0])
    strength = feed.strength
    scale = max(1.0, float(meant.max())) * max(1.0, strength) if name == "emission" else 1.0
    error, unit = _errors(apply_strength(meant_here, name, strength), apply_strength(came, name, arrived.strength), name, scale)
    same, close = TOLERANCE[unit]
    largest, mean = float(error.max()), float(error.mean(dtype=np.float64))
    verdict: Verdict = "same" if largest <= same else "close" if largest <= close + 1e-3 else "differs"
    judged = replace(
        cell, verdict=verdict, max_error=round(largest, 4), mean_error=round(mean, 5), unit=unit,
        differing=round(float((error > close + 1e-3).mean()), 6),
    )  # fmt: skip
    if keep is not None and (feed.maps() or verdict == "differs"):
        keep(material.name, name, _pictures(meant_here, came, error, name, same, scale))
    size = (texture.pixels.shape[1], texture.pixels.shape[0]) if texture and texture.pixels is not None else None
    wanted = texture.listed_size if texture else None
    if verdict != "differs" and size and wanted and size != wanted:
        return _because(replace(judged, verdict="differs"), "resized", f"It is {_by(size)}, listed as {_by(wanted)}.")
    if verdict == "differs":
        cause, message = _cause(judged, material, name, meant, came, arrived, size, wanted)
        if cause == "compressed" and texture is not None and texture.lossy:
            said = f"JPEG changes it by up to {largest:.3g} {unit}, {mean:.2g} in the mean."
            return _because(replace(judged, verdict="close"), cause, said)
        edited = " The file was edited after export: its hash is not the one in the package list."
        return _because(judged, cause, message + (edited if texture and texture.edited else ""))
    if verdict == "close":
        small = size is not None and (size[0] < meant.shape[1] or size[1] < meant.shape[0])
        return _because(judged, "resized" if small else "quantised", WITHIN[unit])
    return judged


def _with_compression(loader: MapLoader, material: Material, cell: Cell, arrived: ArrivedInput) -> Cell:
    """A sound cell with what the engine's own texture compression then does to it."""
    name: InputName = cell.input  # type: ignore[assignment]
    texture = arrived.texture
    if texture is None or texture.pixels is None or texture.pixels.dtype != np.uint8 or cell.verdict not in ("same", "close"):
        return cell
    if arrived.quantity in ("diffuse", "specular"):
        return cell
    blocks = block_compressed(texture.pixels, normal=name == "normal")
    came = _arrived_values(replace(arrived, texture=replace(texture, pixels=blocks)), name)
    meant = _meant(loader, material, name, arrived.quantity)
    here, strength = _at_size(meant, name, came.shape[1], came.shape[0]), material.feeds[name].strength
    scale = max(1.0, float(meant.max())) * max(1.0, strength) if name == "emission" else 1.0
    error, unit = _errors(apply_strength(here, name, strength), apply_strength(came, name, arrived.strength), name, scale)
    said = f"Compressed on import, it changes by up to {float(error.max()):.3g} {unit}, {float(error.mean()):.2g} in the mean."
    return _because(replace(cell, verdict="close"), "compressed", f"{cell.message} {said}".strip())


def _meant(loader: MapLoader, material: Material, name: InputName, quantity: str) -> Float:
    """What an input should be when it arrives, without strength: itself, or the quantity that the target takes of it."""
    own = resolve_feed(loader, material.feeds[name], name, with_strength=False)
    if quantity not in ("diffuse", "specular"):
        return own
    base = resolve_feed(loader, material.feeds["base_color"], "base_color", with_strength=False)
    metallic = resolve_feed(loader, material.feeds["metallic"], "metallic", with_strength=False)
    height, width = max((a.shape[:2] for a in (base, metallic)), key=lambda shape: shape[0] * shape[1])
    base, metallic = _at_size(base, "base_color", width, height), _at_size(metallic, "metallic", width, height)
    diffuse, specular, _ = to_specular_gloss(base, metallic, np.zeros_like(metallic))
    return diffuse if quantity == "diffuse" else specular


def _cause(
    cell: Cell, material: Material, name: InputName, meant: Float, came: Float, arrived: ArrivedInput,
    size: tuple[int, int] | None, wanted: tuple[int, int] | None,
) -> tuple[Cause, str]:  # fmt: skip
    feed = material.feeds[name]
    meant_here = _at_size(meant, name, came.shape[1], came.shape[0])
    close = TOLERANCE[_unit(name)][1]
    if arrived.strength != feed.strength:
        scale = max(1.0, float(meant.max())) if name == "emission" else 1.0
        if name == "emission":
            came = came * np.float32(arrived.strength)
            meant_here = meant_here * np.float32(feed.strength)
            ratio = float(came.max()) / max(float(meant_here.max()), 1e-9)
            if ratio > 1e-6 and _errors(meant_here, came / np.float32(ratio), name, scale)[0].max() <= 2 * close:
                return "strength-lost", f"Strength {feed.strength:g} was meant, {arrived.strength:g} arrived."
        elif _errors(meant_here, came, name, scale)[0].max() <= close + 1e-3:
            return "strength-lost", f"Strength {feed.strength:g} was meant, {arrived.strength:g} arrived."
    if arrived.texture is None:
        if not feed.maps():
            return "constant-changed", f"{_numbers(meant)} was meant, {_numbers(came)} arrived."
        return "missing-file", "No texture feeds it in the package; the engine uses a constant."
    factored = [f for f in arrived.factor if abs(f - 1.0) > 1e-4]
    if factored and min(arrived.factor) > 0:
        divisor = np.asarray(arrived.factor if came.ndim == 3 else arrived.factor[:1], np.float32)
        plain = np.asarray(came / divisor, np.float32)
        if feed.maps() and _errors(meant_here, plain, name, 1.0)[0].max() <= close + 1e-3:
            return "constant-changed", f"The factor {_numbers(np.asarray(arrived.factor, np.float32))} arrived beside its map."
    if not feed.maps() and float(np.ptp(came)) < 1e-3:
        return "constant-changed", f"{_numbers(meant)} was meant, {_numbers(came)} arrived."
    cause = explain(name, _as_stored(meant_here, name, arrived), arrived)
    if cause in ("unknown", "compressed") and size and wanted and size != wanted:
        return "resized", f"It is {_by(size)}, listed as {_by(wanted)}."
    return cause, MESSAGES[cause]


def _because(cell: Cell, cause: Cause, message: str) -> Cell:
    return replace(cell, cause=cause, message=message)


def _alpha_fault(material: Material, arrived: ArrivedMaterial) -> dict[str, Any] | None:
    if arrived.alpha_mode != material.alpha_mode:
        said = f"{material.alpha_mode} was meant, {arrived.alpha_mode} arrived."
        return {"verdict": "differs", "cause": "alpha-mode-changed", "message": said}
    if material.alpha_mode == "mask" and abs(arrived.alpha_cutoff - material.alpha_cutoff) > 1e-4:
        said = f"Cut-off {material.alpha_cutoff:g} was meant, {arrived.alpha_cutoff:g} arrived."
        return {"verdict": "differs", "cause": "cutoff-changed", "message": said}
    return None


def _judge_settings(cell: Cell, material: Material, arrived: ArrivedMaterial) -> Cell:
    uv = material.uv
    found: list[tuple[Cause, str]] = []
    if arrived.double_sided != material.double_sided:
        found.append(("sides-changed", "double-sided was meant" if material.double_sided else "single-sided was meant"))
    meant = (*uv.tiling, *uv.offset, uv.rotation)
    came = (*arrived.tiling, *arrived.offset, arrived.rotation)
    idle = {"height"} | ({"opacity"} if material.alpha_mode == "opaque" else set())
    mapped = any(feed.maps() for name, feed in material.feeds.items() if name not in idle)
    if mapped and (max(abs(a - b) for a, b in zip(meant, came, strict=True)) > 1e-4 or arrived.untransformed):
        where = f" (on {', '.join(arrived.untransformed)})" if arrived.untransformed else ""
        found.append(("uv-transform-lost", f"the UV transform is not the one that was meant{where}"))
    if mapped and arrived.filter != material.filter:
        found.append(("filter-changed", f"{material.filter} filtering was meant, {arrived.filter} arrived"))
    if arrived.surface_tag != material.surface_tag:
        found.append(("unknown", f"surface tag “{material.surface_tag}” was meant, “{arrived.surface_tag}” arrived"))
    if not found:
        return cell
    message = "; ".join(text for _, text in found)
    return replace(cell, verdict="differs", cause=found[0][0], message=message[0].upper() + message[1:] + ".")


def _slot_fault(arrival: Arrival, mesh: str, slot: str, meant: str | None) -> tuple[Verdict, Cause, str] | None:
    if arrival.problem:
        return "lost", arrival.problem, arrival.message
    if slot not in arrival.slots.get(mesh, {}):
        return "lost", "slot-missing", MESSAGES["slot-missing"]
    arrived = arrival.slots[mesh][slot]
    listed = arrival.listed_slots.get(mesh, {}).get(slot, arrived)
    assigned = arrival.assigned_slots.get(mesh, {}).get(slot) if arrival.assigned_slots else arrived
    for worn in (arrived, listed, assigned):
        if worn == meant:
            continue
        if worn is None:
            return "lost", "slot-unassigned", MESSAGES["slot-unassigned"]
        return "differs", "slot-reassigned", f"{meant or 'No material'} was meant, {worn} arrived."
    return None


def _slots(project: Project, mesh: str, worn: dict[str, str | None]) -> dict[str, str | None]:
    """The slots of a mesh that have triangles, with the material meant for each."""
    found = load_mesh(project, mesh)
    filled = [slot for i, slot in enumerate(found.slots) if (found.triangle_slot == i).any()]
    return {slot: worn.get(slot) for slot in filled}


def _arrived_values(arrived: ArrivedInput, name: InputName) -> Float:
    """An input as the engine holds it, canonical, without strength; one texel for a constant."""
    stored = arrived.stored()
    factor = np.asarray(arrived.factor, np.float32)
    if stored is None:
        if name in (*COLOUR_INPUTS, "normal"):
            wide = np.broadcast_to(factor, (1, 1, 3)).astype(np.float32)
            return normalise(wide) if name == "normal" else wide
        return factor[:1].reshape(1, 1)
    if name == "normal":
        vectors = stored * 2.0 - 1.0
        if arrived.normal_y == "-":
            vectors[..., 1] *= -1.0
        return normalise(vectors)
    values = linear_channels(arrived, stored) if arrived.encoding == "srgb" else stored
    values = 1.0 - values if arrived.inverted else values
    if (factor != 1.0).any():
        values = values * (factor if values.ndim == 3 else factor[0])
    return values if name in UNCLIPPED else np.clip(values, 0.0, 1.0)


def _at_size(values: Float, name: InputName, width: int, height: int) -> Float:
    if values.shape[:2] == (height, width):
        return values
    sized = resize(values, width, height)
    return normalise(sized) if name == "normal" else sized


def _errors(meant: Float, came: Float, name: InputName, scale: float) -> tuple[Float, str]:
    """Error per texel, and its unit: degrees for normals, 8-bit steps (of sRGB for colours) for shares of 1, else units."""
    if name == "normal":
        # The chord is exact for small angles, where the arc cosine of a dot product is not.
        chord = np.sqrt(((meant - came) ** 2).sum(axis=-1))
        return np.degrees(2.0 * np.arcsin(np.clip(chord / 2.0, 0.0, 1.0))).astype(np.float32), _unit(name)
    if np.array_equal(meant, came):
        return np.zeros(meant.shape[:2], np.float32), _unit(name)
    if name in COLOUR_INPUTS:
        difference = linear_to_srgb(meant / np.float32(scale)) - linear_to_srgb(came / np.float32(scale))
        return np.abs(difference).max(axis=-1) * np.float32(255), _unit(name)
    return np.abs(meant - came).reshape(meant.shape[:2]) * np.float32(1 if _unit(name) == "units" else 255), _unit(name)


def _unit(name: str) -> str:
    """What an input's error is measured in: quantities that are no share of 1 are compared as they are."""
    return "degrees" if name == "normal" else "units" if name in UNIT_INPUTS else "8-bit steps"


def _as_stored(values: Float, name: InputName, arrived: ArrivedInput) -> Float:
    """Canonical values as they should stand in the file, 0–1."""
    if name == "normal":
        turned = values * np.array([1, -1 if arrived.normal_y == "-" else 1, 1], np.float32)
        return np.asarray(turned * 0.5 + 0.5, np.float32)
    if name == "emission":
        values = values / max(1.0, float(values.max()))
    values = 1.0 - values if arrived.inverted else values
    return linear_to_srgb(values) if arrived.encoding == "srgb" else values


def _pictures(meant: Float, came: Float, error: Float, name: InputName, same: float, scale: float) -> dict[str, Float]:
    step = max(1, -(-max(meant.shape[:2]) // PICTURE))

    def shown(values: Float) -> Float:
        small = values[::step, ::step]
        if name == "normal":
            return small * 0.5 + 0.5
        if name in COLOUR_INPUTS:
            return linear_to_srgb(small / np.float32(scale))
        return small

    span = max(float(error.max()), same)
    return {"meant": shown(meant), "arrived": shown(came), "difference": error[::step, ::step] / span}


def _numbers(values: Float) -> str:
    return " ".join(f"{float(value):.3g}" for value in np.asarray(values).reshape(-1)[:3])


def _by(size: tuple[int, int]) -> str:
    return f"{size[0]} × {size[1]}"
