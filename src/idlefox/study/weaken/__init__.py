"""Faults planted in a form, one at a time, and whether its scenarios notice."""
