"""What holds a piece and whether it stands: frames, cut lists, balance, wind. No Qt, no files."""
