"""What follows from several results of one water: each formula with its source."""
