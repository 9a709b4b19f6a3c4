"""Every code that a check can give: what it sees, why that matters, how it is mended.

`docs/checks.md` is made of this table, and so are the words on screen.

Where no source is named, a rule or a threshold is common practice.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ektopos.checks.thresholds import (
    BETWEEN,
    BRIGHTEST,
    DARKEST,
    DARKEST_METAL,
    EXTREME_ROUGHNESS,
    EXTREME_SCALE,
    FAR,
    GOOD_JPEG,
    GREY_MASK_SHARE,
    HALF_METAL_SHARE,
    LARGEST_PALETTE,
    LEAVES,
    LIT,
    MOST_COLOURS,
    NEAR,
    OFF_LENGTH,
    OFF_LENGTH_SHARE,
    OFTEN,
    OVERLAP,
    PLAINLY,
    SEEN,
    SMOOTH,
    STRETCHED,
    TILED,
    TINTED,
    UNEVEN,
    UNIQUE,
)

Severity = Literal["error", "warning", "note"]
Family = Literal[
    "files",
    "references",
    "encodings",
    "ranges",
    "normals",
    "feeds",
    "sets",
    "materials",
    "slots",
    "UVs",
    "density",
    "geometry",
    "scene",
    "names",
    "memory",
    "target",
]


@dataclass(frozen=True)
class CheckCode:
    """One kind of finding."""

    code: str
    family: Family
    severity: Severity
    title: str
    """The finding as a heading."""
    sees: str
    """What is looked at, and from where on it is found."""
    why: str
    """Why it matters."""
    mended: str
    """How it is mended."""
    rule: str = ""
    """The project rule that sets its threshold."""


def _percent(share: float) -> str:
    return f"{100 * share:g} %"


_BETWEEN = f"between {BETWEEN[0]} and {BETWEEN[1]}"
_TABLE = (
    CheckCode(
        "missing-map-file",
        "files",
        "error",
        "A map’s file is missing",
        "A map of the document whose file is not there.",
        "What it feeds cannot be made, so nothing is.",
        "Import the file again, or remove the map.",
    ),
    CheckCode(
        "unreadable-map",
        "files",
        "error",
        "A map cannot be read",
        "A file that is no picture, breaks off, or is larger than may be read.",
        "What it feeds cannot be made, so nothing is.",
        "Save or copy it again.",
    ),
    CheckCode(
        "missing-mesh-file",
        "files",
        "error",
        "A mesh’s file is missing",
        "A mesh of the document whose file is not there.",
        "It cannot be exported.",
        "Import the file again, or remove the mesh.",
    ),
    CheckCode(
        "unreadable-mesh",
        "files",
        "error",
        "A mesh cannot be read",
        "A file that is no mesh or breaks off, or a step of its recipe that does not fit it now.",
        "It cannot be exported.",
        "Save or copy it again, or undo the step.",
    ),
    CheckCode(
        "not-a-number",
        "files",
        "error",
        "Texels are not a number",
        "Float files with texels that are not a number or infinite.",
        "An engine spreads each of them over whole blocks of pixels, as black or white squares.",
        "Save it again without them.",
    ),
    CheckCode(
        "reader-note",
        "files",
        "note",
        "The reader left something out or converted it",
        "What a reader noted of a file: other pages, orientation, profiles, premultiplied alpha.",
        "Other programs may read the file differently.",
        "If that is not what you want, save the file without it.",
    ),
    CheckCode(
        "lossy-data",
        "files",
        "warning",
        "Data was compressed as a photograph",
        f"JPEG files of quality below {GOOD_JPEG} that hold data. The quality is told from "
        "the file’s tables "
        "of quantisation (ITU-T T.81, annex K; scaled as libjpeg does).",
        "Blocks and ringing become bumps in normals, and stains in roughness and metallic.",
        "Deliver it as PNG, TGA or EXR. Saving a JPEG as PNG does not help.",
    ),
    CheckCode(
        "missing-map",
        "references",
        "error",
        "A feed names a map that is not there",
        "Feeds and masks of maps that the document does not have.",
        "The input cannot be made, so nothing is.",
        "Choose another map, channel or constant.",
    ),
    CheckCode(
        "missing-material",
        "references",
        "error",
        "A slot’s material does not exist",
        "Slots that name a material the document does not have.",
        "The slot would arrive without a material.",
        "Choose another material.",
    ),
    CheckCode(
        "missing-slot",
        "references",
        "error",
        "The mesh has no such slot",
        "Slots that the document names and the mesh does not have.",
        "No slot would have its material.",
        "Assign it to another slot.",
    ),
    CheckCode(
        "missing-in-scene",
        "references",
        "warning",
        "The scene contains something that does not exist",
        "Things in the scene whose mesh the project does not have, a ground whose material is "
        "gone, and a panorama whose map is.",
        "It is not drawn, and is not exported with the scene.",
        "Remove it, or choose another.",
    ),
    CheckCode(
        "broken-base",
        "references",
        "error",
        "A material’s base is missing or circular",
        "Materials whose base is not there, or whose bases or covers go in a circle.",
        "The material has no values.",
        "Give it another base.",
    ),
    CheckCode(
        "unknown-field",
        "references",
        "warning",
        "The document has an unknown field",
        "Fields that the format does not know.",
        "A misspelt field has no effect.",
        "Correct or remove it.",
    ),
    CheckCode(
        "encoding-against-role",
        "encodings",
        "warning",
        "Colour is read as data, or data as colour",
        "The encoding against what the channels hold: colour is sRGB; data, packed maps and float "
        "files are linear. A normal map whose vectors have length 1 only after decoding was saved "
        "as colour, and is rightly read as sRGB.",
        "Data decoded as colour, or colour read as data, is wrong in every texel.",
        "Set the encoding.",
    ),
    CheckCode(
        "wasted-channels",
        "encodings",
        "note",
        "One quantity in three or four channels",
        "RGB files that hold one grey quantity.",
        "Two thirds or more of its memory say nothing.",
        "Exporting packs it; nothing needs to be done here.",
    ),
    CheckCode(
        "base-colour-too-dark",
        "ranges",
        "warning",
        "The base colour is darker than any non-metal",
        f"Non-metals with a base colour of a luminance below {DARKEST}, by its median where "
        "it is a map. "
        "The black of the ColorChecker has 0.03 (published values of 2005, as colour-science has "
        "them).",
        "It swallows all light: the asset is a hole in every scene.",
        f"Bring it into range: a number is clamped, a map’s range begins at {DARKEST}. Or paint it "
        "lighter.",
    ),
    CheckCode(
        "base-colour-too-bright",
        "ranges",
        "warning",
        "The base colour is brighter than any non-metal",
        f"Non-metals with a base colour of a luminance above {BRIGHTEST}, by its median where "
        "it is a map. "
        "The white of the ColorChecker has 0.9.",
        "It reflects more light than snow, and glows beside everything else.",
        f"Bring it into range: a number is clamped, a map’s range ends at {BRIGHTEST}. Or "
        "paint it darker.",
    ),
    CheckCode(
        "metal-too-dark",
        "ranges",
        "warning",
        "The base colour is too dark for a metal",
        f"Metals with a base colour of a luminance below {DARKEST_METAL}, by its median where "
        "it is a map. Of "
        "the elements with measured optical constants, tungsten reflects 0.5 and titanium 0.5 "
        "(Palik’s handbook).",
        "A metal has no other colour than its reflections; dark ones look like dirt or plastic.",
        "Paint it lighter, or make it rough and not metallic where it is dirt or paint.",
    ),
    CheckCode(
        "light-painted-in",
        "ranges",
        "warning",
        "Light seems painted into the base colour",
        "A base colour that is brighter where the normal map leans towards one side (correlation "
        f"of {LIT} or more, towards the same side in all four quarters), or of whose "
        "brightness one "
        f"smooth shade over the whole picture explains {_percent(SMOOTH)} or more.",
        "Light seems to come from there in every scene, whatever the lamps do.",
        "Paint it without light, or remove the light where the map was made.",
    ),
    CheckCode(
        "metallic-grey",
        "ranges",
        "warning",
        "Metallic is neither 0 nor 1",
        f"Metallic of which {_percent(HALF_METAL_SHARE)} or more lies {_BETWEEN}.",
        "Half metals do not exist; grey belongs only where metal meets non-metal.",
        "Raise the contrast of the feed, or paint it.",
    ),
    CheckCode(
        "coloured-quantity",
        "ranges",
        "note",
        "One quantity is read from one channel of a coloured map",
        "Roughness, metallic and the like from R, G or B of a map that holds nothing else, and "
        f"whose channels differ by more than {TINTED} in the mean.",
        "The other two channels say something else, and one of three is chance: a tint, or the "
        "colours that compression leaves.",
        "Read its luminance, or save it as grey.",
    ),
    CheckCode(
        "mask-grey",
        "ranges",
        "note",
        "In-between opacity with alpha mode mask",
        f"{_percent(GREY_MASK_SHARE)} or more of the opacity lies {_BETWEEN}, with alpha mode "
        "mask.",
        "All of it becomes fully opaque or fully clear.",
        "Set its alpha mode to blend, or paint the mask in black and white.",
    ),
    CheckCode(
        "roughness-flat",
        "ranges",
        "note",
        "Roughness has one extreme value everywhere",
        "A roughness map that is one value all over, below "
        f"{EXTREME_ROUGHNESS[0]} or above {EXTREME_ROUGHNESS[1]}.",
        "It is usually an empty map, or alpha or gloss in its place.",
        "Feed another map, or a constant.",
    ),
    CheckCode(
        "green-against-pixels",
        "normals",
        "warning",
        "Green channel direction does not match the map",
        "A stated direction of green that the slopes contradict: those of a height field have "
        f"equal mixed derivatives, correlated by {PLAINLY} or more only the other way round.",
        "With the wrong direction, dents look like bumps, and light seems to come from below.",
        "Change the direction of its green.",
    ),
    CheckCode(
        "normal-not-unit",
        "normals",
        "note",
        "Normals are not of length 1",
        f"Normal maps of which {_percent(OFF_LENGTH_SHARE)} or more of the texels is off by "
        "more than "
        f"{OFF_LENGTH}.",
        "It was resized, blended or compressed as a picture; engines differ in what they do then.",
        "Normalise it where it was made; exports are.",
    ),
    CheckCode(
        "impossible-feed",
        "feeds",
        "error",
        "A feed does not fit its input",
        "Feeds with the wrong number of channels, or from channels that the map does not have.",
        "The input cannot be made, so nothing is.",
        "Choose another map, channel or constant.",
    ),
    CheckCode(
        "no-effect",
        "feeds",
        "warning",
        "Something is set that has no effect",
        "Strengths and adjustments on inputs that have none.",
        "It has no effect, which is rarely intended.",
        "Remove it.",
    ),
    CheckCode(
        "gloss-as-roughness",
        "feeds",
        "warning",
        "Gloss and roughness seem swapped",
        "Gloss that feeds roughness as it is, or roughness that is inverted.",
        "The surface looks too shiny where it should be dull, and the other way round.",
        "Turn invert on or off.",
    ),
    CheckCode(
        "set-map-unused",
        "sets",
        "warning",
        "A map of the set feeds nothing",
        "Channels of a material’s own map set with a role whose input nothing feeds.",
        "Something of the delivery is missing on the asset.",
        "Feed it.",
    ),
    CheckCode(
        "unused-map",
        "sets",
        "note",
        "A map that nothing uses",
        "Maps that feed no material and cover nothing.",
        "It is not exported.",
        "Make a material of its set, or remove it.",
    ),
    CheckCode(
        "alpha-mode-forgotten",
        "materials",
        "warning",
        "Opacity is fed, and the alpha mode is opaque",
        "Materials with an opacity below 1 whose alpha mode is opaque.",
        "Without an alpha mode it arrives opaque.",
        "Set the alpha mode, or remove the opacity.",
    ),
    CheckCode(
        "unused-material",
        "materials",
        "note",
        "A material that no slot uses",
        "Materials that no slot uses, no other derives from and that are no layer of another, "
        "in a project with meshes.",
        "It is not exported, so whatever should have it arrives without.",
        "Assign it, ask on Export for it to be exported too, or remove it.",
    ),
    CheckCode(
        "feed-contradicts-map",
        "feeds",
        "warning",
        "A feed uses a map differently than you corrected it",
        "Inputs fed from a map that a person has said to hold another input’s quantity.",
        "The map was corrected, and the material still uses it as it was before.",
        "Move the feed to the input that the map is for.",
    ),
    CheckCode(
        "palette-filtered",
        "materials",
        "warning",
        "A palette is filtered linearly",
        f"Maps of at most {LARGEST_PALETTE} texels a side and {MOST_COLOURS} colours that are "
        "filtered linearly.",
        "Neighbouring squares bleed into each other.",
        "Set the filter to nearest.",
    ),
    CheckCode(
        "palette-square-crossed",
        "UVs",
        "warning",
        "Faces cross the edge of a palette swatch",
        "Triangles whose corners meet different colours of a palette.",
        "They show more than one colour.",
        "Move their UVs into one swatch.",
    ),
    CheckCode(
        "slot-without-material",
        "slots",
        "warning",
        "No material is assigned",
        "Slots with triangles and without a material.",
        "It arrives in the engine’s default material.",
        "Choose a material for it.",
    ),
    CheckCode(
        "maps-without-uvs",
        "UVs",
        "error",
        "Maps on a slot without UVs",
        "Slots whose material has maps and that have no UVs, or not the set that a map wants.",
        "Every lookup hits the same texel.",
        "Unwrap it, project the material from three sides, or choose another UV set.",
    ),
    CheckCode(
        "other-tile",
        "UVs",
        "warning",
        "UVs are on a different tile than the maps",
        "Slots on UDIM tiles that their material’s maps are not for.",
        "The engine repeats one tile’s maps on all of them.",
        "Split the slot by UV tiles, and give each part a material of its tile.",
    ),
    CheckCode(
        "uvs-outside-clamped",
        "UVs",
        "warning",
        "UVs leave 0–1, and the maps do not repeat",
        "Slots with UVs outside 0–1 on maps that are clamped.",
        "The texels at the border are stretched over everything beyond.",
        "Let the maps repeat, or move the UVs.",
    ),
    CheckCode(
        "uvs-outside",
        "UVs",
        "warning",
        "UVs leave 0–1 slightly",
        f"UVs that leave 0–1 by {LEAVES} or more and are not laid out to repeat: they span less "
        f"than {TILED} units.",
        "Those faces show the opposite border of the map.",
        "Move or pack the UVs.",
    ),
    CheckCode(
        "uvs-far-away",
        "UVs",
        "note",
        "The maps repeat very often",
        f"UVs that span {FAR:g} units or more, tiling counted.",
        "The repetition shows, and half-precision UVs can no longer place a texel.",
        "Check that it is intended.",
    ),
    CheckCode(
        "uvs-overlap",
        "UVs",
        "warning",
        "Islands overlap under a map that is not meant to repeat",
        f"More than {_percent(OVERLAP)} of the UV area covered more than once, twins on each other "
        f"apart, where UVs stay in 0–1 and a map is {UNIQUE} or more.",
        "Both places show the same texels; baked light, dirt and text come out wrong.",
        "Pack the UVs.",
    ),
    CheckCode(
        "uvs-too-near",
        "UVs",
        "note",
        f"Islands are nearer than {NEAR:g} texels",
        "The smallest gap between islands against the slot’s largest map.",
        "Neighbours bleed into each other, at once or in smaller mips.",
        "Pack the UVs with a larger gap.",
    ),
    CheckCode(
        "uvs-stretched",
        "UVs",
        "note",
        "Maps are stretched",
        f"Stretch L2 above {STRETCHED:g} (Sander et al. 2001; 1 is none).",
        "Details look smeared in one direction.",
        "Unwrap it again.",
    ),
    CheckCode(
        "density-uneven",
        "density",
        "warning",
        "One slot is much sharper or coarser than the rest",
        f"Texels per metre {UNEVEN:g} times above or below the middle of the mesh, by area; "
        "map size and "
        "tiling counted; palettes apart.",
        "Side by side, one looks blurred and the other wastes memory.",
        "Even out the density of the slots on Meshes, or limit the size of its maps.",
    ),
    CheckCode(
        "density-off-rule",
        "density",
        "warning",
        "Texels per metre against the project’s rule",
        "Texels per metre beyond the project’s rule for the surface tag, by more than its factor.",
        "It looks blurred beside the rest, or wastes memory.",
        "Limit the size of its maps, or scale its UVs.",
        "density, density_factor",
    ),
    CheckCode(
        "repeats-often",
        "density",
        "note",
        "A map repeats visibly",
        f"Maps that a slot shows {OFTEN:g} times or more, by its UV area and tiling, and that are "
        f"unevenly bright (a standard deviation of {SEEN} or more over 4 × 4 fields, as stored).",
        "From afar the eye finds the pattern before the surface.",
        "Add a layer that repeats differently, a material layer in places, or use a larger map.",
    ),
    CheckCode(
        "not-power-of-two",
        "memory",
        "note",
        "A size is not a power of two",
        "Maps with a side that is no power of two; a warning where the target asks for powers.",
        "It costs memory, or is resampled by some engines.",
        "Resize it where it was made.",
    ),
    CheckCode(
        "larger-than-rule",
        "memory",
        "warning",
        "A map is exported larger than the project allows",
        "Maps that leave longer than the project’s largest side.",
        "It takes four times the memory with each doubling.",
        "Limit the size of the material.",
        "largest_size",
    ),
    CheckCode(
        "memory-over-budget",
        "memory",
        "warning",
        "The project is over its memory budget",
        "Graphics memory of all files of the target, in blocks of 4 × 4 with mips (Khronos Data "
        "Format), against the project’s rule.",
        "The engine drops levels, and everything looks blurred.",
        "Limit sizes, the largest first.",
        "memory_mb",
    ),
    CheckCode(
        "name-off-rule",
        "names",
        "note",
        "A name breaks the project’s naming rule",
        "Materials whose names do not fit the project’s pattern.",
        "Tools that find things by name in the engine miss it.",
        "Rename it.",
        "material_names",
    ),
    CheckCode(
        "names-alike",
        "names",
        "warning",
        "Two names differ only in their case",
        "Materials whose names are alike but for capital letters.",
        "Many file systems and engines take them for one.",
        "Rename one.",
    ),
    CheckCode(
        "reversed-faces",
        "geometry",
        "error",
        "Faces show their backs",
        "Faces that look the other way than their neighbours and are seen from outside (rays), on "
        "single-sided materials.",
        "From outside they vanish.",
        "Flip the faces.",
    ),
    CheckCode(
        "coincident-faces",
        "geometry",
        "error",
        "Coincident faces",
        "Triangles with the same three corners, beyond the first.",
        "They flicker.",
        "Delete one of them where the mesh was made.",
    ),
    CheckCode(
        "degenerate-faces",
        "geometry",
        "note",
        "Triangles without area",
        "Triangles whose corners lie on one line.",
        "They draw nothing, and disturb what engines compute from them.",
        "Merge their vertices where the mesh was made.",
    ),
    CheckCode(
        "open-edges",
        "geometry",
        "note",
        "Open edges",
        "Edges of one face only, on single-sided materials that are opaque or masked.",
        "Through them the inside can be seen.",
        "Close it, or make the material double-sided.",
    ),
    CheckCode(
        "missing-uvs",
        "geometry",
        "warning",
        "Triangles without UVs",
        "Triangles with a corner that has no UV.",
        "Maps cannot be applied to them.",
        "Unwrap it.",
    ),
    CheckCode(
        "unnormalised-normals",
        "geometry",
        "warning",
        "Vertex normals are not of length 1",
        "Normals in the file that are longer or shorter than 1.",
        "Light on them is too bright or too dark.",
        "Exports are normalised; save the mesh again for others.",
    ),
    CheckCode(
        "missing-normals",
        "geometry",
        "note",
        "Vertices without normals",
        "Parts of a file that bring no normals.",
        "The engine makes its own, mostly flat.",
        "Save the mesh with its normals.",
    ),
    CheckCode(
        "vertex-colours",
        "geometry",
        "note",
        "Vertices carry colours",
        "Vertex colours in the file; a warning where they go along.",
        "Engines that use them tint the mesh.",
        "Leave them out of exports, or keep them on purpose.",
    ),
    CheckCode(
        "loose-vertices",
        "geometry",
        "note",
        "Vertices that belong to no triangle",
        "Vertices that no triangle uses.",
        "They widen the mesh’s bounds, and cost memory.",
        "Delete them where the mesh was made.",
    ),
    CheckCode(
        "extra-uv-sets",
        "geometry",
        "note",
        "More than one UV set",
        "Slots with several UV sets of which the material uses one.",
        "They cost memory, and some engines take the second for baked light.",
        "Ignore it if you want it.",
    ),
    CheckCode(
        "empty-slot",
        "slots",
        "note",
        "A slot without triangles",
        "Slots that no triangle is in.",
        "It needs a material and draws nothing.",
        "Merge it into another.",
    ),
    CheckCode(
        "uneven-scale",
        "scene",
        "note",
        "A node is scaled unevenly",
        "Nodes with scales that differ by a thousandth or more between axes.",
        "Normals, physics and children suffer.",
        "Apply the scale.",
    ),
    CheckCode(
        "negative-scale",
        "scene",
        "note",
        "A node is mirrored by a negative scale",
        "Nodes with a negative scale.",
        "Some engines turn its faces, or its normal maps, inside out.",
        "Apply the scale.",
    ),
    CheckCode(
        "extreme-scale",
        "scene",
        "warning",
        "A node is scaled a hundredfold",
        f"Nodes scaled by {EXTREME_SCALE:g} or more, or to {1 / EXTREME_SCALE:g} or less.",
        "Usually one unit was mistaken for another.",
        "Check the units.",
    ),
    CheckCode(
        "not-carried",
        "target",
        "warning",
        "The target does not support something",
        "What of a mesh’s file or a material the target has no place for.",
        "It is missing in the engine.",
        "Choose a target that keeps it, or ignore it if nobody needs it.",
    ),
    CheckCode(
        "places-differ",
        "target",
        "error",
        "Inputs that share a texture have different UVs",
        "Inputs that the target reads from one texture, and that lie at different UVs.",
        "The target reads them with the same UVs.",
        "Give both feeds the same UVs, or choose another target.",
    ),
)

CODES: dict[str, CheckCode] = {code.code: code for code in _TABLE}
FAMILIES: tuple[Family, ...] = tuple(dict.fromkeys(code.family for code in _TABLE))
