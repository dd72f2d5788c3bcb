"""Output templates: the language, its steps, and templates compiled to one function each."""
