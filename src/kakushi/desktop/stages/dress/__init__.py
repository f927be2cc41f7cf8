"""The Dress stage: what shows, fillers, toppers and hung things."""
