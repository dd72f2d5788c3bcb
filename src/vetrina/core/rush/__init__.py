"""The rush hour: gates with a memory of what came before, and lines before slow sinks. Pure: time comes in with the events."""
