"""From what the parts are to what to mill: plans, their yield, and why there is none."""
