"""The rush hour played: how busy appenders get, what limits, recalls and queues do, how late events are, what would do."""
