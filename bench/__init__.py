"""Speed and truth of the model, measured beside what it is compared with: `make bench`."""
