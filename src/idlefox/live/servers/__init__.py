"""Our own servers on loopback: files, generated pages, and the stub server that answers a page."""
