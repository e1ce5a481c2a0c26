"""Which parts go together in one block: the shelf, the rules of fit, the search, and why not."""
