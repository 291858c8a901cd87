// What is known of the printer, asked anew while the area is open.
import { useCallback, useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { printerNow } from "../../api/writes";

export type Printer = Schemas["PrinterTold"];

/** How often it is asked, in milliseconds. */
const OFTEN = 5000;

export function usePrinter(): { printer: Printer | null; ask: () => void } {
  const [printer, setPrinter] = useState<Printer | null>(null);
  const ask = useCallback(() => {
    void printerNow().then(({ data }) => {
      if (data) setPrinter(data);
    });
  }, []);
  useEffect(() => {
    ask();
    const timer = setInterval(ask, OFTEN);
    return () => clearInterval(timer);
  }, [ask]);
  return { printer, ask };
}
