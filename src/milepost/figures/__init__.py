"""The pictures: one module a measure, one look for all."""
