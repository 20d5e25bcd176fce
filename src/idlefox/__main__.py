"""`python -m idlefox`."""

from .commands.main import main

main()
