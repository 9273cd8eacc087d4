import { useNeeds } from "../api/queries";
import { useAttention } from "../screens/today/queries";

/** How many questions and problems wait for a person. */
export const useWaiting = () => (useNeeds().data?.length ?? 0) + (useAttention().data?.length ?? 0);
