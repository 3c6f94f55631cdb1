"""What the application keeps: shoots, photos, products, standards, runs, and the vault of originals."""
