[Version] 2.0
# Hz Z RI R 50
[Number of Ports] 2
[Two-Port Data Order] 12_21
[Number of Frequencies] 2
[Matrix Format] Lower
[Network Data]
10 1 0 2 0 3 0
20 1 0 2 5 3 0
[Noise Data]
1 2 3 4 5
[End]
