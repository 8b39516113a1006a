"""Working out a transaction by search, as hosts of the newer generation do."""
