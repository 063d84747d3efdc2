"""HTTP only: read the request, call an action, render a page."""
