"""Jobs over HTTP: the list, one job with its plan, its history, two plans side by side."""
