"""The tables that files and pages give out, made from an outcome. Here they are made; others write and send them."""
