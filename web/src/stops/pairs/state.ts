// What the Pairs stop knows: whether pairs' numbers stand on the stages.
import { create } from "zustand";

export const usePairs = create<{ badges: boolean }>()(() => ({ badges: false }));
export const setBadges = (badges: boolean) => usePairs.setState({ badges });
