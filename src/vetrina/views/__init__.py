"""Results for people: tables, trees, figures. Nothing is computed here."""
