"""Reading whole columns at once, where a file is as it should be."""
