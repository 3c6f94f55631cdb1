"""One module for each screen: what its addresses do, in the order in which a shoot is worked on."""
