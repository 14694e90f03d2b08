"""What an aircraft is made of, a room for each kind of part; `registry` lists them."""
