"""What jobs really took: entries from plans and records, and what is learnt of them. No Qt, no files."""
