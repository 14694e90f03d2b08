"""What a checklist is made of, a room for each kind of item; `registry` lists them."""
