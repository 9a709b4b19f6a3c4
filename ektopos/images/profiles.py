"""Colours that a file tells otherwise than in sRGB: by a gamma, or by an ICC profile."""

from __future__ import annotations

import io
from functools import lru_cache

import numpy as np
import OpenImageIO as oiio

from ektopos.base.types import Pixels
from ektopos.images.encodings import linear_to_srgb
from ektopos.images.image import ColourProfile, Image
from ektopos.sandbox import sandboxed

_SRGB_GAMMA = (2.15, 2.25)
"""What writers say of sRGB in a PNG's gAMA. Source: PNG specification, third edition, 11.3.2.5: an
sRGB picture should say 1/2.2."""
_SAME_CODES = 3
"""How far codes may move under a profile that is sRGB: profiles round their curves."""
_UNCALIBRATED = 65535
"""Source: Exif 3.0, 4.6.6.2, ColorSpace."""
_REC_709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
"""Primaries and white of sRGB: x and y of red, green, blue and white. Source: ITU-R BT.709."""
_USABLE_GAMMA = (0.2, 5.0)


def colour_profile_of(
    spec: oiio.ImageSpec, format_name: str
) -> tuple[ColourProfile | None, str | None]:
    """How a file's colours are told where that is not sRGB and can be converted, and a note for a
    person; both `None` where it is sRGB or nothing is said.

    Converted are 8-bit colours and greys under an ICC profile of curves and a matrix, and integers
    of any depth under a PNG's gAMA. An ICC profile goes before gAMA. Source: PNG specification,
    third edition, 4.3.
    """
    data = spec.getattribute("ICCProfile")
    if data is not None:
        return _of_icc(bytes(bytearray(data)), spec)
    primaries = spec.getattribute("chromaticities")
    if primaries is not None and not np.allclose(primaries, _REC_709, atol=0.01):
        words = "says that its primaries are not those of sRGB (wide or camera colours)"
        return None, f"{words}; they are read as they are stored"
    if spec.getattribute("Exif:ColorSpace") == _UNCALIBRATED:
        return None, "says that its colours are not sRGB, but not what they are; read as sRGB"
    gamma = spec.getattribute("oiio:Gamma")
    if str(spec.getattribute("oiio:ColorSpace") or "").startswith("lin"):
        gamma = 1.0  # The reader's word for a gAMA of one.
    if format_name != "png" or not isinstance(gamma, float):
        return None, None
    if _SRGB_GAMMA[0] <= gamma <= _SRGB_GAMMA[1]:
        return None, None
    words = f"says that its gamma is {gamma:.3g}"
    if not _USABLE_GAMMA[0] <= gamma <= _USABLE_GAMMA[1]:
        return None, f"{words}, which is no gamma of a picture; it is read as it is stored"
    return (
        ColourProfile(f"gamma {gamma:.3g}", gamma=gamma),
        f"{words}; where it is colour, it is converted to sRGB",
    )


def _of_icc(data: bytes, spec: oiio.ImageSpec) -> tuple[ColourProfile | None, str | None]:
    named = str(spec.getattribute("ICCProfile:profile_description") or "").strip()
    if "srgb" in named.lower() and _is_srgb(data):
        return None, None
    # Few pictures carry one, and loading this takes longer than reading many a picture.
    from PIL import ImageCms

    words = "carries a colour profile" + (f" ({named})" if named else "") + " that is not sRGB"
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(data)).profile
    except OSError:
        return None, "carries a colour profile that cannot be read; it is not applied"
    greys = spec.nchannels < 3
    if profile.xcolor_space.strip() != ("GRAY" if greys else "RGB"):
        return None, f"{words} and does not fit its channels; it is not applied"
    if not greys and not profile.is_matrix_shaper:
        return None, f"{words} but a table for one device; it is not applied"
    if str(spec.format) != "uint8":
        return None, f"{words}; it is not applied, for that is done for 8 bits a channel only"
    return ColourProfile(
        named or "unnamed", icc=data
    ), f"{words}; where it is colour, it is converted"


@lru_cache(maxsize=64)
def _is_srgb(data: bytes) -> bool:
    """Whether a profile does to colours what sRGB does, whatever it is called: linear and wide ones
    have sRGB in their names too."""
    from PIL import Image as Pictures
    from PIL import ImageCms

    ramp = np.linspace(0, 255, 17).round().astype(np.uint8)
    steps = np.stack(np.meshgrid(ramp, ramp[::4], ramp[::4]), axis=-1).reshape(1, -1, 3)
    try:
        made = ImageCms.profileToProfile(
            Pictures.fromarray(steps),
            ImageCms.ImageCmsProfile(io.BytesIO(data)),
            ImageCms.createProfile("sRGB"),
            renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
        )
    except (ImageCms.PyCMSError, OSError):
        return True  # It is no profile of RGB: said by whoever tries to apply it.
    off = np.abs(np.asarray(made).astype(int) - steps.astype(int))
    return bool(off.max() <= _SAME_CODES)


def in_srgb(image: Image) -> Image:
    """The same colours as sRGB codes in the depth of the file; alpha stays. What lies outside of
    sRGB is clipped. A picture without a profile is given back as it is.

    ICC profiles are applied by Little CMS, relative colorimetric. Source: ICC.1:2022; gAMA as the
    PNG specification, third edition, 11.3.2.2 says: light is code ** gamma.
    """
    profile = image.profile
    if profile is None:
        return image
    alpha = image.pixels.shape[2] - 1 if image.has_alpha else image.pixels.shape[2]
    colour = image.pixels[..., :alpha]
    if profile.icc is not None:
        converted = _by_icc(colour, profile.icc)
    else:
        largest = np.iinfo(colour.dtype).max
        light = np.linspace(0.0, 1.0, largest + 1) ** (profile.gamma or 1.0)
        table = np.round(linear_to_srgb(light.astype(np.float32)) * largest).astype(colour.dtype)
        converted = table[colour]
    return Image(np.concatenate([converted, image.pixels[..., alpha:]], axis=2), image.notes)


@sandboxed
def _by_icc(colour: Pixels, data: bytes) -> Pixels:
    from PIL import Image as Pictures
    from PIL import ImageCms

    greys = colour.shape[2] == 1
    made = ImageCms.profileToProfile(
        Pictures.fromarray(colour[..., 0] if greys else np.ascontiguousarray(colour)),
        ImageCms.ImageCmsProfile(io.BytesIO(data)),
        ImageCms.createProfile("sRGB"),
        renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
        outputMode="RGB",
    )
    if made is None:
        return colour
    return np.asarray(made)[..., : colour.shape[2]]
