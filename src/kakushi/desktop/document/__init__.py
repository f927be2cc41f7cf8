"""The open document: job, plan, selection, and the work done for them off the GUI thread."""
