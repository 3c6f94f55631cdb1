"""Photos that are being corrected, kept open in memory so that a mark shows at once."""
