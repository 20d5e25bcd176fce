"""The keywords of scripts and sheets, each with its syntax, meaning and a runnable example."""
