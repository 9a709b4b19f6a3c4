"""Which maps belong on which slot: signs (`signs`) of a picture's traits (`traits`) on a UV layout
(`layout`), ranked (`rank`), and sets and names (`sets`)."""

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
from ektopos.matching.traits import Traits, traits_of

__all__ = [
    "Candidate",
    "Layout",
    "MatchMap",
    "Pair",
    "Traits",
    "layout_of",
    "match",
    "match_maps",
    "material_of_set",
    "pair_slots",
    "proposals",
    "rank_sets",
    "read_match_map",
    "small_picture",
    "tile_in_set",
    "traits_of",
]
