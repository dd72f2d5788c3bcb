"""Layouts drafted from the lines of a log that nobody told: shapes only, whoever wrote it."""
