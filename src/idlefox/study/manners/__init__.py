"""Explores forms, with people's actions and accidents, and checks rules that every form should keep."""
