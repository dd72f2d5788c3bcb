"""A plan as it holds: loggers, rules, appenders, policies, immutable and typed."""
