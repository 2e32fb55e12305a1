// What the keeper's place reads.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, told } from "../../api/client";

const CALM = 10_000;

export const useKeeper = () =>
  useQuery({ queryKey: ["keeper"], queryFn: () => told(api.GET("/api/keeper")), refetchInterval: CALM });

export const useAccounts = (text: string, page: number) =>
  useQuery({
    queryKey: ["keeper", "accounts", text, page],
    queryFn: () => told(api.GET("/api/keeper/accounts", { params: { query: { text, page } } })),
    placeholderData: keepPreviousData,
  });

export const useInvitations = () =>
  useQuery({ queryKey: ["keeper", "invitations"], queryFn: () => told(api.GET("/api/keeper/invitations")) });

export const useJobs = () =>
  useQuery({ queryKey: ["keeper", "jobs"], queryFn: () => told(api.GET("/api/keeper/jobs")), refetchInterval: CALM });

export const useStorage = () =>
  useQuery({ queryKey: ["keeper", "storage"], queryFn: () => told(api.GET("/api/keeper/storage")) });

export const useBenches = () =>
  useQuery({
    queryKey: ["keeper", "benches"],
    queryFn: () => told(api.GET("/api/keeper/benches")),
    refetchInterval: CALM,
  });

export const useAudit = (page: number) =>
  useQuery({
    queryKey: ["keeper", "audit", page],
    queryFn: () => told(api.GET("/api/keeper/audit", { params: { query: { page } } })),
    placeholderData: keepPreviousData,
  });
