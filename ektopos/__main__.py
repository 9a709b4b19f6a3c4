"""`python -m ektopos` is the command line. A short command is mostly starting and ending, so both
are kept short here."""

import gc
import os

import ektopos.base.library_setup  # noqa: F401 — before all others

# What is loaded stays; it need not be searched for litter every seven hundred objects.
gc.set_threshold(50_000)

from ektopos.cli.main import main  # noqa: E402

# Everything is written by then: taking the interpreter apart object by object would take a tenth of
# an export.
os._exit(main())
