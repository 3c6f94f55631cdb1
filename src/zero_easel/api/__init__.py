"""The API under /api/v1: what other programs may ask, as JSON over HTTP. app.py puts it together; routes/ has one
module for each kind of thing, which only calls the services that pages call; all that routes share lies beside it."""

PREFIX = "/api/v1"
"""Under which all addresses of the API lie."""
