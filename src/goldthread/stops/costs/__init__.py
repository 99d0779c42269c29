"""What profit needs: margins and costs of acquisition, as a question gives them or as they were recorded."""
