"""What a record must be, and the log that is built of records."""
