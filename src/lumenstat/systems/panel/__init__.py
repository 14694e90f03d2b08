"""What a crew sees and touches: controls, instruments and lamps, in zones that light with their buses."""
