"""What forms are made of: values, findings, choices, events, tracked cells and trace entries."""
