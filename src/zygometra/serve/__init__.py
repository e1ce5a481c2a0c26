"""The process behind ./start: what it was told, its database, its server, its log."""
