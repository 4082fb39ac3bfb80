"""What is known of one disk: geometry, table, partitions, file systems, roles."""
