"""The rules of the job: frozen dataclasses, integers and pure functions; no input, output or framework."""
