"""The project's scene: where things stand (`stand.py`), and the scene as one file (`leave.py`)."""
