"""What everything stands on: faults, origins, levels, quantities, clocks, events; nothing of a plan."""
