"""What several rooms of the store ask of builds and house rules in the same words, and that a build is not there."""

from __future__ import annotations

from sqlalchemy import text

RULES_IN_FORCE = text(
    "(SELECT coalesce(json_object_agg(key, value), '{}') FROM (SELECT DISTINCT ON (key) key, value"
    " FROM house_rule ORDER BY key, id DESC) newest WHERE value IS NOT NULL) AS shop_rules"
)

NEWEST_RULE = text("(SELECT coalesce(max(id), 0) FROM house_rule)")


class NotThere(LookupError):
    """No build has that number."""
