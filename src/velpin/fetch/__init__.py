"""Getting files from repositories, and unpacking them."""
