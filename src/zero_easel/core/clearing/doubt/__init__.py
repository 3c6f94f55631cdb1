"""Whether a person should look at a cutout: what is measured on it, where it is doubtful, and in which words."""
