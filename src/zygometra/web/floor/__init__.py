"""The shop floor: every build, its state, a new one."""
