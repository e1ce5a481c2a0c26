"""The cut log: set-ups and passes as they are made at the machine, and what is left to do."""
