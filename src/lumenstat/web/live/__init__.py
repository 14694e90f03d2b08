"""Sockets: actions in, states out."""
