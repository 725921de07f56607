"""What the job is made of, as data: supplies, schools, circumstances, ways to sample, kinds of place, occasions."""
