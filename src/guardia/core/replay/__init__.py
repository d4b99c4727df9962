"""What settings would have done with the evidence: timing and the gates from motion to alert."""
