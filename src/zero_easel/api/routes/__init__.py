"""One module for each kind of thing that can be asked about."""
