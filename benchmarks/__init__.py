"""Speed, as ratios and growth: `make bench`. Never part of the tests."""
