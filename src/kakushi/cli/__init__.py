"""The headless commands: fit, plan, export, render. No Qt."""
