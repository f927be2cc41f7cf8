"""Pictures of the piece that stages share: elevation, ladder, skin, plan view."""
