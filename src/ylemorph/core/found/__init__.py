"""What a disk that was read holds of a plan already (rule 15)."""
