"""Forms of HTML pages: read by the HTML Living Standard, with no sheet. `read.read_page` is the door.

Nothing is imported here: the engine knows a page's facts (`model`), and only who reads one loads the parser.
"""
