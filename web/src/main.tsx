import "@fontsource-variable/bricolage-grotesque";
import "@fontsource/source-sans-3/400.css";
import "@fontsource/source-sans-3/600.css";
import "@fontsource/jetbrains-mono/400.css";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClientProvider } from "@tanstack/react-query";
import { lazy, StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, replace } from "react-router";
import { RouterProvider } from "react-router/dom";
import { askForPack, queryClient } from "./api/queries";
import { KeysProvider } from "./parts/keys";
import { Empty } from "./parts/notices";
import { Shell } from "./parts/Shell";
import { theme } from "./theme";

// One chunk per place: the first load carries the shell and the place one asked for.
const SignIn = lazy(() => import("./places/SignIn"));
const Start = lazy(() => import("./places/Start"));
const NewPack = lazy(() => import("./places/new/NewPack"));
const Join = lazy(() => import("./places/Join"));
const Installation = lazy(() => import("./places/installation/Installation"));
const CrewPeople = lazy(() => import("./places/CrewPeople"));
const Account = lazy(() => import("./places/account/Account"));
const Forgotten = lazy(() => import("./places/account/Forgotten"));
const ConfirmAddress = lazy(() => import("./places/account/ConfirmAddress"));
const Games = lazy(() => import("./places/games/Games"));
const NewGame = lazy(() => import("./places/games/NewGame"));
const GamePlace = lazy(() => import("./places/games/GamePlace"));
const SourcePlace = lazy(() => import("./places/sources/SourcePlace"));
const Keeper = lazy(() => import("./places/keeper/Keeper"));
const PackFrame = lazy(() => import("./places/pack/PackFrame"));
const assemble = () => import("./places/pack/Assemble");
const Assemble = lazy(assemble);
const Check = lazy(() => import("./places/pack/check/Check"));
const Findings = lazy(() => import("./places/pack/check/Findings"));
const Overlap = lazy(() => import("./places/pack/check/Overlap"));
const Pair = lazy(() => import("./places/pack/check/Pair"));
const Aside = lazy(() => import("./places/pack/check/Aside"));
const Bench = lazy(() => import("./places/pack/bench/Bench"));
const Trial = lazy(() => import("./places/pack/bench/Trial"));
const Narrowing = lazy(() => import("./places/pack/bench/Narrowing"));
const OwnFiles = lazy(() => import("./places/pack/check/OwnFiles"));
const Settings = lazy(() => import("./places/pack/settings/Settings"));
const Lead = lazy(() => import("./places/pack/lead/Lead"));
const Publish = lazy(() => import("./places/pack/Publish"));
const Crew = lazy(() => import("./places/pack/Crew"));
const ModPlace = lazy(() => import("./places/pack/ModPlace"));
const HandOut = lazy(() => import("./places/outside/HandOut"));
const News = lazy(() => import("./places/news/News"));
const OpenPack = lazy(() => import("./places/outside/OpenPack"));
const Aboard = lazy(() => import("./places/crew/Aboard"));
const Call = lazy(() => import("./places/help/Call"));
const Release = lazy(() => import("./places/pack/Release"));

/** Fetches a place's chunk beside its data, and keeps nothing waiting for it. */
const fetched = (place: () => Promise<unknown>) => () => {
  place();
  return null;
};

const Broken = () => (
  <Empty title="This page stopped working" action={<a href="/">To my convoy</a>}>
    Nothing that was kept is lost. Load the page again; if it stops again, tell whoever runs this site.
  </Empty>
);

const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <Broken />,
    children: [
      { index: true, element: <Start /> },
      { path: "sign-in", element: <SignIn /> },
      { path: "join/:code?", element: <Join /> },
      { path: "installations/:installationId", element: <Installation /> },
      { path: "calls/:callId", element: <Call /> },
      { path: "crews/:crewId", element: <CrewPeople /> },
      { path: "account", element: <Account /> },
      { path: "account/address/:key", element: <ConfirmAddress /> },
      { path: "password/:key?", element: <Forgotten /> },
      { path: "games", element: <Games /> },
      { path: "games/new", element: <NewGame /> },
      { path: "games/:gameId", element: <GamePlace /> },
      { path: "sources/:sourceId", element: <SourcePlace /> },
      { path: "site", element: <Keeper /> },
      { path: "packs/new", element: <NewPack /> },
      { path: "packs/open", element: <OpenPack /> },
      { path: "news", element: <News /> },
      { path: "aboard/:code", element: <Aboard /> },
      {
        path: "packs/:packId",
        element: <PackFrame />,
        loader: ({ params }) => askForPack(params.packId ?? ""),
        shouldRevalidate: ({ currentParams, nextParams }) => currentParams.packId !== nextParams.packId,
        children: [
          { index: true, loader: () => replace("assemble") },
          { path: "assemble", element: <Assemble />, loader: fetched(assemble) },
          {
            path: "check",
            element: <Check />,
            children: [
              { index: true, element: <Findings /> },
              { path: "overlap", element: <Overlap /> },
              { path: "overlap/:one/:other", element: <Pair /> },
              { path: "set-aside", element: <Aside /> },
              { path: "own-files", element: <OwnFiles /> },
              { path: "bench", element: <Bench /> },
              { path: "bench/narrowing/:narrowingId", element: <Narrowing /> },
              { path: "bench/:trialId", element: <Trial /> },
            ],
          },
          { path: "settings", element: <Settings /> },
          { path: "lead", element: <Lead /> },
          { path: "publish", element: <Publish /> },
          { path: "hand-out", element: <HandOut /> },
          { path: "crew", element: <Crew /> },
          { path: "mods/:slug", element: <ModPlace /> },
          { path: "releases/:number", element: <Release /> },
        ],
      },
      { path: "*", element: <Empty title="There is no such page">Go to your convoy by the mark above.</Empty> },
    ],
  },
]);

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <ThemeProvider theme={theme} defaultMode="system">
        <CssBaseline />
        <QueryClientProvider client={queryClient}>
          <KeysProvider>
            <RouterProvider router={router} />
          </KeysProvider>
        </QueryClientProvider>
      </ThemeProvider>
    </StrictMode>,
  );
}
