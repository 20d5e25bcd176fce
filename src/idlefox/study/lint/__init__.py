"""Lint: mistakes in scripts, sheets and pages that a run would not stop at, each proved on the model."""
