"""What a batch becomes before it is run: the plan behind folder and library, and its lists."""
