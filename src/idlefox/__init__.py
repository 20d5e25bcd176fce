"""Idle Fox plays what a person does at a form, and says what held and what did not."""

__version__ = "0.1.0"
