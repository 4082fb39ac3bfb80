"""What a person does, once for the web and the command line alike."""
