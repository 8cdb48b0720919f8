// Whether the browser tells when a final ends while the page is not looked at.
import { create } from "zustand";

const KEPT = "ember-ridge-tells";

function kept(): boolean {
  const granted = typeof Notification !== "undefined" && Notification.permission === "granted";
  return granted && localStorage.getItem(KEPT) === "yes";
}

export const useTells = create<{ tells: boolean }>()(() => ({ tells: kept() }));

/** Asks the browser for leave first; without it nothing is told. */
export async function setTells(wanted: boolean) {
  const tells = wanted && (await Notification.requestPermission()) === "granted";
  localStorage.setItem(KEPT, tells ? "yes" : "no");
  useTells.setState({ tells });
}

/** Shows a notification, if the user wants them and does not look at the page. */
export function tell(title: string, body: string) {
  if (!useTells.getState().tells || document.visibilityState === "visible") return;
  const shown = new Notification(title, { body, icon: "/mark.svg", tag: title });
  shown.onclick = () => {
    window.focus();
    shown.close();
  };
}
