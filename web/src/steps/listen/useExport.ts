/** A render as a file: made on the server, followed, stopped, and kept as soon as it is there. */
import { useEffect, useRef, useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { follow, isOpen, WAIT_S } from "../../api/follow";

type File = Schemas["ExportOut"];
export type As = Schemas["ExportAs"];

export const addressOf = (file: File) => `/api/v1/exports/${file.id}/file`;

/** keep: what is done with the address of a file that was waited for. */
export function useExport(render: string, keep: (address: string) => void) {
  const [told, setTold] = useState<{ file: File | null; problem: string } | null>(null);
  const turn = useRef(0);
  useEffect(() => () => void (turn.current += 1), []);
  const make = async (as: As) => {
    const mine = ++turn.current;
    const tell = (file: File | null, problem = "") => {
      if (turn.current === mine) setTold({ file, problem });
    };
    tell(null);
    try {
      const begun = await ask(
        api.POST("/api/v1/renders/{render_id}/exports", {
          params: { path: { render_id: render } },
          body: as,
        }),
      );
      await follow(
        begun,
        () =>
          ask(
            api.GET("/api/v1/exports/{export_id}", {
              params: { path: { export_id: begun.id }, query: { wait_s: WAIT_S } },
            }),
          ),
        (now) => {
          tell(now, now.status === "failed" ? now.problem : "");
          if (now.status === "done" && turn.current === mine) keep(addressOf(now));
        },
        () => turn.current === mine,
      );
    } catch (fault) {
      tell(null, sentenceOf(fault));
    }
  };
  const file = told?.file ?? null;
  return {
    make: (as: As) => void make(as),
    file,
    problem: told?.problem ?? "",
    making: told !== null && !told.problem && (file === null || isOpen(file)),
    stop: () =>
      void (
        file &&
        ask(
          api.POST("/api/v1/exports/{export_id}/cancel", {
            params: { path: { export_id: file.id } },
          }),
        ).catch(() => undefined)
      ),
  };
}
