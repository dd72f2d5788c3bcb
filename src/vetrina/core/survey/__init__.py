"""The messages in a program's source: what the statements that write to a log say, and where each would go."""
