"""Core results drawn to scale as SVG. Knows core, nothing else of ours."""
