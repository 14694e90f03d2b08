"""One module a view: its routes and the one context its template is given."""
