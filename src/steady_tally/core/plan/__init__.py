"""The plan: the document that fixes every choice in the five stages, a file a stage. No part refers to a later stage.

`docs/plan.md` describes it for its readers; the models here are what is checked. `whole.py` puts the stages together
and reads documents; `lift.py` brings documents of earlier versions to the present one. What a measure or a method of
classing may choose stands with it, in `core/measure` and `core/classes`.
"""
