"""The Larkmoor Apiary, a made-up beekeepers' cooperative.

Pictures, models and jobs, all drawn by these scripts.
"""
