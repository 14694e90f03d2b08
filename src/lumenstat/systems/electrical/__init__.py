"""The electrical parts of an aircraft: what stands on its buses, joins them, feeds them and takes from them."""
