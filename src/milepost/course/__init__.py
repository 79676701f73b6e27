"""The course: the level sequence with its plan, and drafts of one."""
