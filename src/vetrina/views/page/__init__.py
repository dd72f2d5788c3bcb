"""The page that is handed over: what it holds as data, and the page itself."""
