// A way to change the recipe that stays the same from one drawing of the page to the next, for what outlives a drawing.
import { useCallback, useEffect, useRef } from "react";
import { useRecipe } from "../../api/queries";
import type { Recipe } from "../../api/types";

export function useEdit(): (change: (r: Recipe) => Recipe) => void {
  const [, edit] = useRecipe();
  const newest = useRef(edit);
  useEffect(() => {
    newest.current = edit;
  }, [edit]);
  return useCallback((change) => newest.current(change), []);
}
