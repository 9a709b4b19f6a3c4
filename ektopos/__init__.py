"""The core of Ektopos: arrays in, arrays out.

Rooms, in the order data flows: `images` → `maps`, `meshes` → `materials` → `shading`, `checks`,
`targets` → `trial`. `document` holds the project's words as pydantic models, `edits` every change
that can be made to them, and `project` joins a document to its files. No web server, no HTTP and no
interface code lives here.
"""

__version__ = "0.1.0"
