"""Every file read or written. Readers trust nothing; writers replace a file whole or not at all."""
