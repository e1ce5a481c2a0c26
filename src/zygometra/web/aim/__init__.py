"""What is wanted of a build: duty, windows, limits, gaskets to be had."""
