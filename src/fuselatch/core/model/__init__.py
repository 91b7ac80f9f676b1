"""The parts of forms: values, findings, choices, events, cells and trace entries."""
