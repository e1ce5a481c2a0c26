"""The target bench: windows that are dragged, plans that reach them, and why there is none."""
