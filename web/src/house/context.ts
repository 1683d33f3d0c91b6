import { createContext, useContext } from "react";
import type { Schemas } from "../api/client";

/** What every page of the house knows: who looks, and how to say something of itself in the context line. */
export type HouseContext = { me: Schemas["Me"]; setAside: (text: string) => void };

export const House = createContext<HouseContext | null>(null);

export function useHouse(): HouseContext {
	const house = useContext(House);
	if (!house) throw new Error("a page stands outside the house");
	return house;
}
