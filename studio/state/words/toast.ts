import { type ExternalToast, toast as sonner } from "sonner";

/** The notices that are on the screen, by the name that they go by here: what they are called there, and how often one was put up. */
const shown = new Map<string | number, string>();
let count = 0;

const callsBack = (
  button: ExternalToast["action"],
): button is { label: React.ReactNode; onClick: (e: React.MouseEvent<HTMLButtonElement>) => void } =>
  typeof button === "object" && button !== null && "onClick" in button;

/**
 * A notice with an `id` takes the place of the one before with that id. One that is on its way out, since somebody answered it or it was over,
 * would take a new one along, and a new one would keep buttons that only the old one had: so each that has left is done with, and each new one
 * is whole.
 */
function placed({ id, ...options }: ExternalToast = {}): ExternalToast {
  if (id === undefined) return options;
  const name = shown.get(id) ?? `${id} ${++count}`;
  shown.set(id, name);
  const leave = (): void => {
    if (shown.get(id) === name) shown.delete(id);
  };
  const answered = (button: ExternalToast["action"]): ExternalToast["action"] =>
    callsBack(button)
      ? {
          ...button,
          onClick(e) {
            leave();
            button.onClick(e);
          },
        }
      : button;
  return {
    description: undefined,
    duration: undefined,
    ...options,
    id: name,
    action: answered(options.action),
    cancel: answered(options.cancel),
    onDismiss(t) {
      leave();
      options.onDismiss?.(t);
    },
    onAutoClose(t) {
      leave();
      options.onAutoClose?.(t);
    },
  };
}

type Say = (message: React.ReactNode, options?: ExternalToast) => void;
const by =
  (say: typeof sonner.message): Say =>
  (message, options) =>
    void say(message, placed(options));

/** Says something in a notice. */
export const toast = Object.assign(
  by((...said) => sonner.message(...said)),
  {
    error: by((...said) => sonner.error(...said)),
    info: by((...said) => sonner.info(...said)),
    success: by((...said) => sonner.success(...said)),
    warning: by((...said) => sonner.warning(...said)),
    loading: by((...said) => sonner.loading(...said)),
    /** Takes the notice of that name away. */
    dismiss(id: string | number): void {
      const name = shown.get(id);
      shown.delete(id);
      if (name !== undefined) sonner.dismiss(name);
    },
  },
);
