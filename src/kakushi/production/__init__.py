"""What is worked out from a plan when asked: tying, stability, preparation, tables, dossier."""
