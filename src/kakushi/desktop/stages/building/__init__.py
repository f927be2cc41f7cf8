"""The Build stage: one step at a time, what comes next, and ways out when it goes wrong."""
