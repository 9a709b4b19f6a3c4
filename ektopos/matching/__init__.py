"""Which maps belong on which slot: scores (`layout_scores`) of a picture's spectra
(`image_spectra`) on a UV layout (`layout`), ranked (`rank`), and sets and names (`sets`)."""

from ektopos.matching.image_spectra import ImageSpectra, spectra_of
from ektopos.matching.layout import Layout, layout_of
from ektopos.matching.pairs import Pair, pair_slots
from ektopos.matching.rank import Candidate, match
from ektopos.matching.sets import (
    MatchMap,
    match_maps,
    material_of_set,
    proposals,
    rank_sets,
    read_match_map,
    small_picture,
    tile_in_set,
)

__all__ = [
    "Candidate",
    "ImageSpectra",
    "Layout",
    "MatchMap",
    "Pair",
    "layout_of",
    "match",
    "match_maps",
    "material_of_set",
    "pair_slots",
    "proposals",
    "rank_sets",
    "read_match_map",
    "small_picture",
    "spectra_of",
    "tile_in_set",
]
