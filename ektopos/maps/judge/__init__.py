"""Judge one map: from the kind of picture it is, the reading of its name, and what the maps beside
it say. A module a kind of picture."""

from ektopos.maps.judge.by_kind import judge
from ektopos.maps.judge.by_person import recheck

__all__ = ["judge", "recheck"]
