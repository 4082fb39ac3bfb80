"""The commands, one module each, so that a short one imports only what it needs."""

EXIT_FITS, EXIT_DOES_NOT_FIT, EXIT_WRONG_USE, EXIT_STOPPED = 0, 1, 2, 130
