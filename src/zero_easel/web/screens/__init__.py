"""One module for each screen: what its addresses do. The stages of a shoot have a folder of their own."""
