"""Readers and writers of files, thin over libraries: bytes in and out, no decisions about the data.

Files are read by drivers named one by one; nothing virtual, nothing remote. Start reading at `read.py`.
"""
