"""Single-point changes of the core, and which of them no test notices: `make mutants`."""
