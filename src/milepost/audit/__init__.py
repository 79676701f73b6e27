"""The audit: contents of a log, findings, what looks odd, and the effects of cleaning."""
