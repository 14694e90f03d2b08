"""People who are not there: the demo school's weeks of runs, and its class in the air. All fly with slips."""
