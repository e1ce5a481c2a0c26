"""The shop itself: who is at the bench, settings, house rules, keys, patterns."""
