"""The replay: the state machine over the gated records, and the attempts and moves that come of it."""
