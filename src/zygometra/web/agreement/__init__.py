"""The bench of decisions and agreement: what is asked of whom, what was answered, who agreed to which figures."""
