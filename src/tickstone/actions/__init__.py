"""What a person does: connect, record, calibrate, choose, cut a stone."""
