"""The pages: one module per screen, thin over the services."""
