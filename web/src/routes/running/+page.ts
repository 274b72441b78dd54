// Its own page, which names all it needs: nothing has to be found out piece by piece.
export const prerender = true;
