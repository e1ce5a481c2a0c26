"""A build: its frozen values, the document it stands in, the levers that move it, what is written of it."""
