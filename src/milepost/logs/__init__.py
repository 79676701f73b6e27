"""From files to records: where logs lie, which format they have, what each field must be."""
