"""Which records? Reading coordinates and times out of columns, and the reasons for setting a record aside."""
