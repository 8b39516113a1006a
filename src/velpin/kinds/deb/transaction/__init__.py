"""One transaction on a deb host: worked out, told, and explained where it is refused."""
