"""What a builder should be told, worst first: judges by subject, and one renderer of what they say."""
