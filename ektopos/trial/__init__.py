"""The trial: import a package as an engine would, and compare what arrived with what was meant.

`importer` is the stand-in engine. It reads only the package's bytes and the target's profile, with
other libraries than those that wrote them, and never imports packing, writers or materials.
`compare` goes through materials and slots, `judge` measures each input, `both` and `causes`
explain.
"""

from ektopos.trial.arrival import Arrival
from ektopos.trial.cells import Cell
from ektopos.trial.compare import Trial, run_trial
from ektopos.trial.files import read_target
from ektopos.trial.importer import import_package
from ektopos.trial.report import junit

__all__ = ["Arrival", "Cell", "Trial", "import_package", "junit", "read_target", "run_trial"]
