"""Images as arrays: read and write at full depth, encodings, resampling.

What a picture *means* (roles, normals, gloss) is not known here: that is `ektopos.maps`.
"""

from ektopos.images.encodings import (
    decode_table,
    linear_to_srgb,
    luminance,
    srgb_to_linear,
)
from ektopos.images.image import Image, ImageHeader, as_float
from ektopos.images.png import encode_png
from ektopos.images.read import IMAGE_SUFFIXES, MAX_TEXELS, read_header, read_image
from ektopos.images.resample import fit_within, resize
from ektopos.images.write import quantise, write_image

__all__ = [
    "IMAGE_SUFFIXES",
    "MAX_TEXELS",
    "Image",
    "ImageHeader",
    "as_float",
    "decode_table",
    "encode_png",
    "fit_within",
    "linear_to_srgb",
    "luminance",
    "quantise",
    "read_header",
    "read_image",
    "resize",
    "srgb_to_linear",
    "write_image",
]
