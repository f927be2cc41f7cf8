"""What surrounds every stage: header, menus, shelf, tally, notices, files."""
