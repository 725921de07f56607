"""The demo world, built by the same services as everything else, on simulated readings."""
