"""`python -m ektopos` is the command line."""

import sys

from ektopos.cli import main

sys.exit(main())
