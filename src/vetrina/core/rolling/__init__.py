"""Rolling files: policies, periods, names and the simulation."""
