"""The build: steps in the right order, the days before it, progress, and ways out when it goes wrong."""
