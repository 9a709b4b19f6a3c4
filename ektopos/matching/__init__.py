"""Which maps belong on which slot: by the UV layout (`layout`), and by sets and names (`sets`)."""

from ektopos.matching.layout import Candidate, Layout, layout_of, match
from ektopos.matching.sets import (
    MatchMap,
    match_maps,
    material_of_set,
    proposals,
    rank_sets,
    read_match_map,
    same_slots,
    small_picture,
)

__all__ = [
    "Candidate",
    "Layout",
    "MatchMap",
    "layout_of",
    "match",
    "match_maps",
    "material_of_set",
    "proposals",
    "rank_sets",
    "read_match_map",
    "same_slots",
    "small_picture",
]
