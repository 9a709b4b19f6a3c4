"""Long work: each kind is a function from a job and a progress callback to a JSON result."""
