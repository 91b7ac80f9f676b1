"""What forms are made of: values, findings, choices, events, cells and trace entries."""
