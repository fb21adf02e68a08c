"""The demo scenario: the pit band of a travelling shadow-puppet barge. All pieces and takes are our own."""
