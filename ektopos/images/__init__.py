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
from ektopos.images.jpeg import jpeg_quality
from ektopos.images.ktx2 import encode_ktx2
from ektopos.images.nearest import nearest_covered
from ektopos.images.parts import PARTED_SUFFIX, image_parts, part_content
from ektopos.images.png import encode_png
from ektopos.images.profiles import in_srgb
from ektopos.images.read import IMAGE_SUFFIXES, MAX_TEXELS, read_header, read_image
from ektopos.images.resample import (
    covered_share,
    fit_within,
    keep_coverage,
    mip_sizes,
    resize,
    shrink_seen,
    wrapped,
)
from ektopos.images.write import quantise, quantise_spread, write_image

__all__ = [
    "IMAGE_SUFFIXES",
    "MAX_TEXELS",
    "PARTED_SUFFIX",
    "Image",
    "ImageHeader",
    "as_float",
    "covered_share",
    "decode_table",
    "encode_ktx2",
    "encode_png",
    "fit_within",
    "image_parts",
    "in_srgb",
    "jpeg_quality",
    "keep_coverage",
    "linear_to_srgb",
    "luminance",
    "mip_sizes",
    "nearest_covered",
    "part_content",
    "quantise",
    "quantise_spread",
    "read_header",
    "read_image",
    "resize",
    "shrink_seen",
    "srgb_to_linear",
    "wrapped",
    "write_image",
]
