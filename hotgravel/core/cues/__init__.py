"""When something happens, to whom, then what; and the record of all that did."""
