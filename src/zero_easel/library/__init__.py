"""What the application keeps: shoots, photos, products, standards, runs, and the vault of originals.

`store` is tables and files, `lists` reads many rows at once for pages, `changes` is what people do, each with its undo;
here is how photos and tables come in, and a shoot as a batch. Begin with shoots.py and store/models.py.
"""
