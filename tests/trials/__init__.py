"""Studies on simulated engines: what is promised holds in so many of them."""
