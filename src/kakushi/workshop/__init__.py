"""What a job uses up: supplies and spares. No Qt, no files."""
