"""The core of Ektopos: arrays in, arrays out.

Folders, in the order data flows: `images` → `maps`, `meshes` → `materials` → `rendering`, `export`
→ `checks`, `trial`. `document` holds a project as pydantic models, `edits` every change that can be
made to it, `project` joins a document to its files, and `cli` is the command line. No web server
and no interface code lives here.
"""

__version__ = "0.1.0"
