import { rmSync } from 'node:fs'

/**
 * Takes a folder of a test away with all that is in it. What was ended a moment ago may still lay files into it, so it is
 * tried again for some seconds. @throws what the system says where it cannot be taken away in that time
 */
export async function removeFolder(folder: string): Promise<void> {
  for (let left = 100; ; left--) {
    try {
      rmSync(folder, { recursive: true, force: true })
      return
    } catch (error) {
      if (left === 0) throw error
    }
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}
