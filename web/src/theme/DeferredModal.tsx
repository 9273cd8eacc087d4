import { Modal, type ModalProps } from "@mui/material";
import { useDeferredValue } from "react";

/**
 * The root of every dialog and menu. What is in it is built once the press that opened it has been painted: building a dialog takes as
 * long as a small screen, and the press should not wait for it.
 */
export function DeferredModal({ open, ...others }: ModalProps) {
  const built = useDeferredValue(open, false);
  return <Modal open={open && built} {...others} />;
}
