"""Working out one transaction of an rpm host: rules of packages, policy, order of steps."""
