"""Before the disk is bought: which size would do, what one has or could buy, how long it lasts, many machines."""
