"""The measures: each a frozen settings object with one call on a play."""
