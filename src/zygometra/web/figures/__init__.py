"""The figures of a build: each where it stands, with basis, doubt and history."""
