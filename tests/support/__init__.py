"""What several tests share: a reader of pages, cases and builds, a plain second derivation, strategies."""
