"""What a plan means: pure and typed, without printing, files, clock or network."""
