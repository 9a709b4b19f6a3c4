"""What libraries ask for as they are loaded: imported first by all that starts a process."""

import os

# NumPy starts a thread a core for matrices as it is loaded, and they spin while maps decode, or
# while slots and meshes are worked on by threads of our own.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Else every installed package is asked for plugins, of which there are none.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
