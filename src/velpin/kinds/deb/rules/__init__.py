"""Rules on a deb host: written as preference records, proved, listed, taken back."""
