"""From measures to documents, and from documents to what people and programs read."""
