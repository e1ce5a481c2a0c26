"""The bench of verifying and signing: what came out beside what was meant, and who signed for it."""
