"""HTML pages as forms, by the HTML Living Standard and without a sheet. `read.read_page` is the entry point.

This module imports nothing, so that the parser is loaded only to read a page; the engine only needs `model`.
"""
