// Keys of the place one is in: registered by screens, carried out here, listed under `?`.
import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useRef, useState } from "react";

export interface Key {
  /** As `KeyboardEvent.key` gives it; `mod+k` with Ctrl or Cmd. */
  key: string;
  does: string;
  /** Missing where the key works in one part of the place alone, which listens for itself. */
  run?: () => void;
}

interface Registry {
  register: (place: string, keys: Key[]) => () => void;
  show: () => void;
}

const Keys = createContext<Registry>({ register: () => () => {}, show: () => {} });

/** Makes keys work while a screen is shown. `keys` may change with every rendering. */
export function useKeys(place: string, keys: Key[]) {
  const { register } = useContext(Keys);
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(
    () =>
      register(
        place,
        latest.current.map((one, index) => ({ ...one, run: one.run && (() => latest.current[index]?.run?.()) })),
      ),
    [place, register],
  );
}

export const useShowKeys = () => useContext(Keys).show;

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

export function KeysProvider({ children }: { children: ReactNode }) {
  const places = useRef(new Map<string, Key[]>());
  const [open, setOpen] = useState(false);
  const register = useCallback((place: string, keys: Key[]) => {
    places.current.set(place, keys);
    return () => {
      places.current.delete(place);
    };
  }, []);
  const registry = useMemo(() => ({ register, show: () => setOpen(true) }), [register]);

  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (event.defaultPrevented || event.altKey) return;
      const mod = event.ctrlKey || event.metaKey;
      if (!mod && isTyping(event.target)) return;
      if (!mod && document.querySelector('[role="dialog"]')) return;
      if (event.key === "?") return setOpen(true);
      const name = mod ? `mod+${event.key.toLowerCase()}` : event.key;
      for (const keys of [...places.current.values()].reverse()) {
        const found = keys.find((one) => one.key === name && one.run);
        if (found) {
          event.preventDefault();
          return found.run?.();
        }
      }
    };
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, []);

  return (
    <Keys.Provider value={registry}>
      {children}
      <Dialog open={open} onClose={() => setOpen(false)} aria-labelledby="keys-title">
        <DialogTitle id="keys-title">Keys here</DialogTitle>
        <DialogContent>
          {[...places.current.entries()].reverse().map(([place, keys]) => (
            <section key={place}>
              <h3 style={{ margin: "8px 0 4px" }}>{place}</h3>
              <dl style={{ display: "grid", gridTemplateColumns: "auto 1fr", gap: "4px 16px", margin: 0 }}>
                {keys.map((one) => (
                  <div key={one.key} style={{ display: "contents" }}>
                    <dt>
                      <code>{one.key.replace("mod+", "Ctrl/Cmd ").replaceAll("Arrow", "")}</code>
                    </dt>
                    <dd style={{ margin: 0 }}>{one.does}</dd>
                  </div>
                ))}
              </dl>
            </section>
          ))}
        </DialogContent>
      </Dialog>
    </Keys.Provider>
  );
}
