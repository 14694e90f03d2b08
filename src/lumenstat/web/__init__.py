"""The web application: pages, the live station and what it is drawn with."""
