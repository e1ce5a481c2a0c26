"""Tables, migrations and repositories: the only place that knows SQL."""
