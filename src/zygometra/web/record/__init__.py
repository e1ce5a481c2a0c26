"""The record of a build: every change, undo and redo, the files."""
