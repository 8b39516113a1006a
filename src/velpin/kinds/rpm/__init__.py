"""What both layouts of rpm hosts share: version order, relations, package headers, indexes."""
