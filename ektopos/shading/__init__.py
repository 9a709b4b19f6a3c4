"""How surfaces look under light: the BRDF, lights, and small pictures of materials."""
