// What a member asks of their installation: orders for its agent, choices, holding on.
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";

export type Page = Shape["InstallationPage"];
export type Order = Partial<Shape["OrderIn"]> & { what: Shape["OrderIn"]["what"] };

const of = (installation_id: string) => ({ params: { path: { installation_id } } });

export const useOrder = (id: string) =>
  useChange(
    (order: Order) =>
      told(api.POST("/api/installations/{installation_id}/orders", { ...of(id), body: order as Shape["OrderIn"] })),
    ["installation", id],
    ["pack"],
  );

export const useChoose = (id: string) =>
  useChange(
    (body: Shape["ChoicesIn"]) => told(api.POST("/api/installations/{installation_id}/choices", { ...of(id), body })),
    ["installation", id],
    ["pack"],
  );

export const useHold = (id: string) =>
  useChange(
    (what: Shape["HoldIn"]["what"]) =>
      told(api.POST("/api/installations/{installation_id}/hold", { ...of(id), body: { what } })),
    ["installation", id],
  );
