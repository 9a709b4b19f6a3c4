"""What a map is: its name, its pixels, and the verdict on both.

`names` reads file names, `statistics` measures pixels, `evidence` says what the measures mean,
`relations` compares maps that came together, `judge` weighs all of it for one map, `identify` for
all of them, `sets` groups maps; `normals` and `channels` are operations on maps. What a material
does with a map is `ektopos.materials`.
"""

from ektopos.maps.channels import pack_channels, split_channels
from ektopos.maps.identify import facts_of, identify
from ektopos.maps.judge import judge, recheck
from ektopos.maps.names import read_names, set_name
from ektopos.maps.roles import encoding_of, encoding_of_roles
from ektopos.maps.sets import map_name, maps_of_set, set_of_each, sets_of
from ektopos.maps.statistics import measure
from ektopos.maps.verdict import Facts, Verdict, channel_roles

__all__ = [
    "Facts",
    "Verdict",
    "channel_roles",
    "encoding_of",
    "encoding_of_roles",
    "facts_of",
    "identify",
    "judge",
    "map_name",
    "maps_of_set",
    "measure",
    "pack_channels",
    "read_names",
    "recheck",
    "set_name",
    "set_of_each",
    "sets_of",
    "split_channels",
]
