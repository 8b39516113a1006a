"""Working out one transaction: what is put in, what is taken out, and what each step is for."""
