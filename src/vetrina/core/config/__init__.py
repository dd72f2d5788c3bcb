"""From documents to the plan in force: merged, filled, built; its history, its edits, written out again."""
