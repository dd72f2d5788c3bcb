"""Which messages reach which appender: decided, counted, explained, rendered."""
