"""What a job is: frozen values, units, the catalogue. No computation, no files."""
