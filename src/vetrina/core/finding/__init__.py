"""Searching what was collected: conditions, order, sections, journeys, blocks over streams of events with their place."""
