"""`python -m ektopos` is the command line. A short command is mostly starting and ending, so both
are kept short here."""

import gc
import os

# NumPy starts a thread a core for matrices as it is loaded, and they spin: no command has such, and
# maps decode meanwhile.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Else every installed package is asked for plugins, of which there are none.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
# What is loaded stays; it need not be searched for litter every seven hundred objects.
gc.set_threshold(50_000)

from ektopos.cli import main  # noqa: E402

# Everything is written by then: taking the interpreter apart object by object would take a tenth of
# an export.
os._exit(main())
