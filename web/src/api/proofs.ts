// Whether each change is followed by a proof.
import { create } from "zustand";

export const useProofs = create<{ follow: boolean }>()(() => ({ follow: true }));
