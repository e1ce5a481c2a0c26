"""Open formats in and out. Knows core, nothing else of ours."""
