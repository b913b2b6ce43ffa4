int unusedHere;
