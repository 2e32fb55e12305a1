// What is said about a dropped file so far, and making one of the crew's own builds of it.
import { useDeferredValue, useState } from "react";
import { api, type Shape, told } from "../../../api/client";
import { lookedThrough } from "../../../api/files";
import { useChange, useLicence } from "../../../api/queries";

export type Said = Omit<Shape["OwnBuildIn"], "sha256" | "kind" | "root"> & { kind: string; root?: string | null };

export function useOwnBuild(pack: Shape["PackOut"], dropped: Shape["DroppedOut"]) {
  const fitting = dropped.kinds.filter((one) => one.fits);
  const { base } = pack;
  const [said, setSaid] = useState<Said>({
    of: dropped.own.find((one) => one.name === dropped.says_name)?.mod ?? "",
    name: dropped.says_name || dropped.name.replace(/\.\w+$/, ""),
    version: dropped.says_version,
    kind: dropped.doubt ? "" : fitting[0].kind,
    licence: "",
    page: "",
    summary: "",
    side: "both",
    reach: "crew",
    games: `=${base.game_version}`,
    loader: base.loader,
    needs: "",
    touches: "",
  });
  const say = (what: Partial<Said>) => setSaid({ ...said, ...what });
  const licence = useLicence(useDeferredValue(said.licence ?? "")).data;
  const [read, setRead] = useState<number | null>(null);
  const send = useChange(async () => {
    await lookedThrough(pack.id, dropped, setRead).finally(() => setRead(null));
    return await told(
      api.POST("/api/packs/{pack_id}/own-builds", {
        params: { path: { pack_id: pack.id } },
        body: { ...said, sha256: dropped.sha256 } as Shape["OwnBuildIn"],
      }),
    );
  }, ["pack", pack.id]);
  const kind = dropped.kinds.find((one) => one.kind === said.kind);
  const ask = dropped.doubt !== "" || kind?.root == null;
  const field = (name: "name" | "version" | "page" | "summary" | "licence") => ({
    value: said[name] ?? "",
    error: !!send.error?.field(name),
    helperText: send.error?.field(name),
    onChange: (event: React.ChangeEvent<HTMLInputElement>) => say({ [name]: event.target.value }),
  });
  const mayCarry = licence?.passing_on === "allowed";
  return { said, say, field, fitting, kind, licence, mayCarry, ask, send, read };
}
