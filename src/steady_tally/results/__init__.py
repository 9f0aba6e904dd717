"""What has been worked out: kept within a bound, worked out once however many ask.

Start with `studies.py`: what a study's plan comes to. Nothing here knows of requests or pages.
"""
