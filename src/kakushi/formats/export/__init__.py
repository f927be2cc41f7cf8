"""Files for other programs: JSON, CSV, XLSX, SVG, ICS, PNG."""
