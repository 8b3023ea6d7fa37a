"""The Larkmoor Apiary, a made-up beekeepers' cooperative: pictures, models and jobs, all drawn by these scripts."""
