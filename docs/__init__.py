"""The papers, and the script that takes their pictures."""
