"""Reading and writing: plans with origins and layers, events, and the formats that other tools read."""
