"""Made-up material and the training of our own small networks; the application needs none of it.

``performance`` and ``textures`` invent music, ``borrowed`` takes excerpts of public-domain
scores, ``sampled`` and ``synthesis`` make them sound, ``dress`` puts them in a room,
``clips`` joins all that by recipe and seed, ``material`` keeps what a network hears of them.
"""
