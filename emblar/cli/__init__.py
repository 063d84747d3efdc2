"""The command line: the same actions as the browser, and the two that need no database."""
