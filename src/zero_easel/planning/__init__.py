"""What a batch becomes before it is run: the one plan behind folder and library, and the lists of what came of it."""
