"""The open document without Qt: edits, history, dirty flag. `Session.apply` is the only way to change a job."""
