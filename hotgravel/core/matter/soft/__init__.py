"""What is soft: cloth and jelly, by energies between vertices."""
