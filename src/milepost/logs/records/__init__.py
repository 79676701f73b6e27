"""Rules for records, and the log that is built from them."""
