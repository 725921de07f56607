"""Before the first drop: rhythm, stock, packing, dilutions, recoveries."""
