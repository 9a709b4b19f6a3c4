"""What a map is: its name, its pixels, and the verdict on both.

`names` reads file names, `statistics` measures pixels, `evidence` says what the measures mean, `identify` brings them
together, `sets` groups maps. What a material does with a map is `ektopos.materials`.
"""

from ektopos.maps.identify import Facts, Verdict, channel_roles, facts_of, identify, judge
from ektopos.maps.names import read_names, set_name
from ektopos.maps.roles import encoding_of
from ektopos.maps.sets import map_name, maps_of_set, sets_of
from ektopos.maps.statistics import measure

__all__ = [
    "Facts",
    "Verdict",
    "channel_roles",
    "encoding_of",
    "facts_of",
    "identify",
    "judge",
    "map_name",
    "maps_of_set",
    "measure",
    "read_names",
    "set_name",
    "sets_of",
]
