"""Files from elsewhere, read without trust: outlines, pictures, photographs, palettes, stock."""
