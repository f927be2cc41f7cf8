"""Simulated stand-ins for outside devices and services; they ship with the program and can be replaced."""
