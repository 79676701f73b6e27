"""Packed stores: a log laid down as Parquet, part by part, with a manifest."""
